"""What is wrong before it leaves, what leaves, and how far it has come."""
