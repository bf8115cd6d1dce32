"""What moves in steps: its beginning, the looks at it, its orders, and what people say to it."""
