"""What a bench does: each act reads through the store, asks the core, and writes what one act writes in one
transaction.

Functions take the connection, the shop's settings and the time where they need them, and return values; none knows of a
page.
"""
