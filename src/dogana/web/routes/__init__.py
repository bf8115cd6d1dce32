"""The routers, one for each room of the use cases."""
