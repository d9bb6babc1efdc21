"""What several tests need."""
