"""FastAPI: routers, sign-in, problem details, live updates.

Thin: a route parses, calls one use case, answers.
"""
