"""The weights of the machine's ear, as `make train-buzz` wrote them."""

import json
from functools import lru_cache
from importlib.resources import files
from typing import Any

import numpy as np

from deft_bench.core.strings.ear.hearing import Ear

NAME = "buzz_ear.json"


@lru_cache
def buzz_ear() -> Ear:
    """The ear that ships with the program."""
    held: dict[str, Any] = json.loads(files(__package__).joinpath(NAME).read_text("utf-8"))
    layers = tuple((np.array(one["weights"]), np.array(one["bias"])) for one in held["layers"])
    return Ear(np.array(held["middle"]), np.array(held["spread"]), layers)


def written(ear: Ear, taught: str) -> str:
    """The file's text; `taught` says with what."""

    def short(values: Any) -> Any:
        return np.round(values, 4).tolist()

    layers = [{"weights": short(weights), "bias": short(bias)} for weights, bias in ear.layers]
    held = {"taught": taught, "middle": short(ear.middle), "spread": short(ear.spread), "layers": layers}
    return json.dumps(held, ensure_ascii=False, separators=(",", ":")) + "\n"
