"""Constants of nature; exact by definition unless said."""

GAS = 8.31446261815324  # J/(mol K)
VACUUM = 8.8541878128e-12  # F/m, CODATA 2018
FARADAY = 96485.33212331  # C/mol
