"""The work itself: operations, the rules of their order, run sheets and what they take."""
