"""What comes in and goes out in open formats."""
