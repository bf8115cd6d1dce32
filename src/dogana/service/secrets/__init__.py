"""Clearances that deployers hold, and sealed values that only a clearance opens."""
