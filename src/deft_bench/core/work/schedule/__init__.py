"""The week's schedule: several jobs over bench hours, with cures, fixtures, preparations, parts on order and
promises.
"""
