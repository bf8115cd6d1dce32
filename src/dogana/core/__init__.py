"""The computation: policies, inspection, time, seats, the record.

Pure. No clock, no network, no database, no settings, no log; imports nothing else of Dogana.
"""
