"""What comes after a landing: who confirms it, what goes wrong, and the way back."""
