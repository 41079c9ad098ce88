"""The order of a level-and-dress job: its steps, the gates that end them, and what doing one too early spoils."""

import re
from collections.abc import Collection
from dataclasses import dataclass

from deft_bench.core.calls import Length, in_mm

MASKS = {
    "before_level": "mask before levelling",
    "before_crown": "mask after levelling, before crowning",
    "guard": "a metal guard at each fret, no mask",
}


@dataclass(frozen=True, slots=True)
class OrderStep:
    """One step: its code, what is done, and the measured gate that ends it (empty: none); lengths in it stand in braces, mm."""

    code: str
    title: str
    gate: str = ""

    def gate_words(self, length: Length = in_mm) -> str:
        """The gate with its lengths written for the reader."""
        return re.sub(r"\{([\d.]+)\}", lambda found: length(float(found[1])), self.gate)


@dataclass(frozen=True, slots=True)
class OrderRule:
    """`before` comes before `after`, or this is spoiled."""

    before: str
    after: str
    spoils: str


_STEPS = {
    "rest": OrderStep("rest", "Rest at the bench’s humidity", "two days after a dry or damp journey"),
    "intake": OrderStep("intake", "Intake survey, photographs, the owner’s target"),
    "strings_off": OrderStep("strings_off", "Strings off, nut out or protected"),
    "straight": OrderStep("straight", "Neck straight by the rod", "within ±{0.03}, on wood or on fret tops"),
    "survey": OrderStep("survey", "Survey the fret heights, rocker or gauge", "three lanes read"),
    "reseat": OrderStep("reseat", "Reseat what is loose, survey that again", "no daylight of {0.03} or more"),
    "ends": OrderStep("ends", "Ends flush and bevelled", "both sides"),
    "mask": OrderStep("mask", "Mask the board, long strips first"),
    "level": OrderStep("level", "Level to the plan, do not press", "ink just gone; height left"),
    "after": OrderStep("after", "Survey again against the planned shape", "no rock in three lanes"),
    "fall_away": OrderStep("fall_away", "Fall-away, if it is asked for"),
    "crown": OrderStep("crown", "Crown to a thin even line", "line at most {0.30}, centred within {0.1}"),
    "scratches": OrderStep("scratches", "Scratches out, from the coarsest mark present", "nail test"),
    "cover": OrderStep("cover", "Cover the pickups"),
    "polish": OrderStep("polish", "Polish, each abrasive over all frets", "smooth: nail test"),
    "unmask": OrderStep("unmask", "Pull the mask"),
    "clean": OrderStep("clean", "Clean and inspect"),
    "oil": OrderStep("oil", "Oil the board, if it is bare"),
    "nut": OrderStep("nut", "Nut depth again", "nut gap"),
    "action": OrderStep("action", "Relief, action, intonation again", "the owner’s target"),
}
_RULES = (
    OrderRule("rest", "ends", "a board that swells later stands past ends cut in dry air"),
    OrderRule("rest", "level", "a neck that is still moving is levelled to a shape it will not keep"),
    OrderRule("straight", "survey", "bow is read as high and low frets"),
    OrderRule("straight", "level", "bow is cut into the frets for good"),
    OrderRule("strings_off", "level", "a full-length beam files a nut that is in place"),
    OrderRule("survey", "level", "metal comes off without anybody knowing which fret is wrong"),
    OrderRule("reseat", "level", "seating costs no metal; levelling a loose fret does"),
    OrderRule("reseat", "mask", "glue for reseating gets under the tape"),
    OrderRule("ends", "mask", "tape covers the corner that the file must reach"),
    OrderRule("level", "fall_away", "the level takes the fall-away off again"),
    OrderRule("level", "crown", "levelling undoes the crowns"),
    OrderRule("after", "crown", "a crown hides what the level missed"),
    OrderRule("fall_away", "crown", "the fall-away flattens fresh crowns"),
    OrderRule("mask", "crown", "files and abrasives mark the board"),
    OrderRule("crown", "scratches", "file marks come after"),
    OrderRule("scratches", "polish", "a scratch under a polish shines"),
    OrderRule("cover", "polish", "steel wool and metal dust stay on the magnets"),
    OrderRule("polish", "unmask", "abrasive stains bare wood"),
    OrderRule("unmask", "clean", "dust under the tape stays"),
    OrderRule("clean", "oil", "dust is oiled into the grain"),
    OrderRule("oil", "nut", "oil on the strings and in the slots"),
    OrderRule("level", "nut", "lower frets change the nut gap"),
    OrderRule("nut", "action", "action and intonation move with the nut"),
)


def level_and_dress(mask: str = "before_level") -> tuple[list[OrderStep], list[OrderRule]]:
    """Steps in order and the rules that hold under a masking school; raises KeyError for a school that is none."""
    MASKS[mask]
    codes = [code for code in _STEPS if mask != "guard" or code not in ("mask", "unmask")]
    if mask == "before_crown":
        codes.remove("mask")
        codes.insert(codes.index("crown"), "mask")
    place = {code: i for i, code in enumerate(codes)}
    rules = [
        rule
        for rule in _RULES
        if rule.before in place and rule.after in place and place[rule.before] < place[rule.after]
    ]
    if mask == "before_level":
        rules.append(OrderRule("mask", "level", "the beam’s dust and slips mark the board"))
    return [_STEPS[code] for code in codes], rules


def broken(step: str, done: Collection[str], rules: Collection[OrderRule]) -> list[OrderRule]:
    """The rules that doing a step now would break: what should have come before it and is not done."""
    return [rule for rule in rules if rule.after == step and rule.before not in done]
