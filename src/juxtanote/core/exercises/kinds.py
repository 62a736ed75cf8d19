"""What can be made of a lick."""

from enum import Enum


class Kind(Enum):
    """What is done to a lick."""

    BACKWARDS = "backwards"
    FROM_BEAT = "from its second beat"
    DISPLACED = "an eighth later"
    HALF_SPEED = "in values twice as long"
    DOUBLE_SPEED = "in values half as long"
    SEQUENCE_UP = "its cell up the scale"
    SEQUENCE_DOWN = "its cell down the scale"
    THIRDS = "in thirds"
    SIXTHS = "in sixths"
    CONTRARY = "turned over"
    LAND_ROOT = "landing on the root"
    LAND_THIRD = "landing on the third"
    LAND_FIFTH = "landing on the fifth"
    WITH_BAR = "with the slide bar"
