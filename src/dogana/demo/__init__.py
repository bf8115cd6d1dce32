"""The scenario: Corvale Water, a made-up utility; its people, repositories, policies and history.

Deterministic from a seed and relative to the instant it is made. Also how the demo and the tour are run.
"""
