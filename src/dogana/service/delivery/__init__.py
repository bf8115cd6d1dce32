"""What follows a decision: departure, landing, rollback, and what happens by itself."""
