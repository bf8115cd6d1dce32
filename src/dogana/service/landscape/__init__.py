"""What is promoted and where to: environments, routes, services, releases with evidence, closings."""
