"""Ways by which messages come to the desk of a host, and answers go back."""
