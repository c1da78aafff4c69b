"""One folder per phenomenon: its declaration and its solver."""
