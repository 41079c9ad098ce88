"""The likely neck: what all the evidence about one neck says together, and how sure it is."""
