"""Hand estimates for two fluids."""

from __future__ import annotations

PAPERS = ()
