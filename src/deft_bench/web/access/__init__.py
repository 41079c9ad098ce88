"""Who may come in over the local network: the passphrase, pairing a second device, and its certificate."""

from deft_bench.web.access.views import screen

__all__ = ["screen"]
