"""What is wrong with a kit before it leaves: rules, thresholds, and what mends them."""
