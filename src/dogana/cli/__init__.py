"""The command line. Exits: 0 done, 1 found wanting, 64 unusable input, and what a command says of its own."""
