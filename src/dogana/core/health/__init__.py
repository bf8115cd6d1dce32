"""How a release fares while it goes in: evidence that may be looked at as often as one likes."""
