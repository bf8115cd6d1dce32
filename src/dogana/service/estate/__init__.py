"""What runs where, since when, how it fares, and the way back."""
