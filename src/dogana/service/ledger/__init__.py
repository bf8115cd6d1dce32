"""The ledger: writing entries with what they record, and giving them their places in the log."""
