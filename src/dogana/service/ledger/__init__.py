"""The ledger: writing entries with what they record, and giving them their indexes in the log."""
