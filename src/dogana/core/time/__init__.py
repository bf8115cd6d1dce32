"""Time: half-open intervals of UTC, wall clocks in their zones, recurrences, the forecast."""
