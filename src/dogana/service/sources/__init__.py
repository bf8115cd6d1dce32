"""The outside systems: set up, tried, scraped; what they are to the rest."""
