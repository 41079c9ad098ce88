"""The fault campaign: what is killed, filled up, damaged, run twice or fed with rubbish, and must lose nothing."""
