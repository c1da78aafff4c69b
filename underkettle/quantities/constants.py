"""Constants of nature, exact by definition."""

GAS = 8.31446261815324  # J/(mol K)
FARADAY = 96485.33212331  # C/mol
