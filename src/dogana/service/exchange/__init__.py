"""Events from other systems and to them, and requests that are sent again."""
