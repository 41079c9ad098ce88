"""Tolerances of the trade that are no setting of the shop: each with its reason. docs/methods/tolerances.md lists where
each is used.

What a shop may set (the rock that counts, polish loss, least fret height, prices …) is in `shop_settings`.
"""

from fractions import Fraction

# Straightness and the rod
STRAIGHT_MM = 0.03
"""A neck is straight enough for fretwork within this: what a feeler tells along a straightedge, and no more than a
level cuts in.
"""
DISAGREE_MM = 0.05
"""Bow on wood and bow on fret tops further apart than this: seating or uneven wire, not the neck."""
RELIEF_WITHIN_MM = 0.02
"""The rod is left alone this near to the relief wanted: less than an eighth of a turn of most rods moves."""
RELIEF_GATE_MM = 0.03
"""Relief passes its gate in a setup within this: two readings of one neck differ by as much."""
BOW_THAT_COUNTS_MM = 0.03
"""A refret that bowed the neck by less needs no word: it is within what is called straight."""
RELIEF_FOR_HAND_MM = {"light": 0.10, "medium": 0.18, "heavy": 0.25}
"""Relief wanted for playing, until a setup is solved."""
LONG_BASS_RELIEF_MM = 0.30
"""A long-scale bass swings wider whatever the hand."""

# Frets
SEATING_GAP_MM = 0.03
"""The seating gap that counts: less than this is neither felt nor worth lifting a fret for."""
PROUD_MM = 0.04
"""A fret this far above the fair line stands out of ordinary wear: twice the rock that usually counts."""
LEAST_HEIGHT_SHARE = 0.65
"""The least fret height worth keeping, as a share of the wire's new height …"""
LEAST_HEIGHT_MM = 0.60
"""… and never under this: below it a finger is on the wood."""
MOST_RESEAT_MM = 0.15
"""Farther than this a fret is not driven home or drawn up in its slot: it is shimmed …"""
MOST_SHIM_MM = 0.30
"""… and farther than this it is replaced."""
MOST_LIFT_SHARE = 0.5
"""No fret is lifted by more than this share of its crown: one so low is read again, or replaced."""
LAND_MM = 0.30
"""The land that may stay after crowning: wider than this is heard as a note that wanders."""
LAND_OFF_CENTRE_MM = 0.10
"""How far off the fret's centre the land may lie."""
SPROUT_MM = 0.02
"""A fret end that stands out further is felt by the hand."""
LEAP_MM = 0.4
"""No fret or place on the board is this far off all that is read beside it: such a reading is questioned."""
LEAST_SLOT_MM = 0.5
MOST_SLOT_MM = 4.0
"""No slot that takes a tang is shallower or deeper: such a depth is questioned."""
LEAST_ACTION_MM = 0.4
MOST_ACTION_MM = 6.0
"""No string that is played lies lower or higher over the 12th fret: such an action is questioned."""
LEAST_CROWN_MM = 0.3
MOST_CROWN_MM = 2.0
"""No fret that is played stands lower or higher over its board: such a crown height is questioned."""
REST_HUMIDITY = 45.0
"""Under this relative humidity (%) the board may still swell back: it rests before the ends are cut."""

# Slots and board
NOTCH_WIDE_MM = 6.0
"""How wide a tang is notched over what lies in its slot."""
LEAST_UNDER_TANG_MM = 0.10
"""A slot must be at least this much deeper than the tang, or dust and glue hold the fret up."""
LEAST_WOOD_MM = 2.0
"""Wood left under a slot: less breaks out or lets the neck flex there …"""
LEAST_WOOD_SHARE = Fraction(1, 3)
"""… and never less than this share of the board."""
LEAST_OVER_ROD_MM = 3.0
"""Wood between the rod's channel and the back of the neck."""
THIN_EDGE_MM = 3.0
"""The least thickness of a board's edge that stands handling."""
LOOSE_BITE_MM, GLUE_BITE_MM, PRESS_BITE_MM = 0.05, 0.15, 0.30
"""How far barbs bite into a slot's walls: under the first they hold nothing, under the second glue must help, over
the third the neck bends.
"""
LEAST_APART_MM = 6.0
"""Strings, or courses, nearer than this at the nut leave no room for a finger."""
OVERBEND_SHARE = 0.7
"""Wire bent tighter than this share of the board's radius springs up in the middle."""

# Strings
ACTION_GATE_MM = 0.05
"""Action passes its gate within this: what a string-height rule resolves."""
GATE_CENTS = {
    "individual": 2.0,
    "pairs": 3.0,
    "threes": 3.0,
    "two_post": 2.0,
    "one_piece": 4.0,
    "tail_mounted": 2.0,
}
"""How true a string must be by kind of bridge: what an ear hears, or what one saddle for several strings can do."""
OVER_REACH_CENTS = 1.0
"""A string that no saddle makes truer passes this far over its best: what two readings of one note differ by."""
LEAST_CUT_MM = 0.05
"""Less than this is not taken off, or put under, a saddle: no file or shim works so fine."""
MOST_CENTS = 40.0
"""No fretted note is this far off an open string at pitch: such a reading is questioned."""
NUT_SHIFT_MM = 0.25
"""A nut that stands off by less is not named: it is within what a slot's face wears."""
SLOT_ROOM_MM = 0.05
"""How much wider than its string a nut slot is: it must slide in it."""
