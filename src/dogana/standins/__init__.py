"""Small simulated outside systems that ship with the demo and speak the protocol real ones would."""
