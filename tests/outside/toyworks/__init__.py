"""Four small phenomena from outside the package, to strain the contract."""
