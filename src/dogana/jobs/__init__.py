"""Background work: inspecting what is due, and giving ledger entries their places."""
