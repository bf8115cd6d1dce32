"""How the installation itself fares: its processes, what it lacks, what is late, what comes first."""
