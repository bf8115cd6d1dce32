"""What people are told: of which kinds, by which way, and when."""
