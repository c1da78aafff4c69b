"""What routes answer with. The page's types are made from these."""
