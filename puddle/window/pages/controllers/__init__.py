"""The page Controllers: which are there, what they strike, and what came in."""
