"""What readers are given: Desk, file, calendar, ledger. Models stand beside what makes them."""
