"""Promotions: taken in, inspected on what is known, and what people decide on them."""
