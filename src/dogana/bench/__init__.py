"""What parts cost beside what they cannot be cheaper than, both measured in the same run."""
