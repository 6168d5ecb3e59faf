"""What is asked, answered, and carried out at most once."""
