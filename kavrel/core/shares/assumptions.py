"""What is taken for granted of shares and accounts."""

from kavrel.core.assumption import COMMON, Assumption

ASSUMPTIONS = (
    Assumption(
        "shares_wanted", "Shares before they get in the way", 6, "", 1, 100, COMMON, "shares"
    ),
    Assumption(
        "password_length",
        "Shortest password",
        14,
        "characters",
        6,
        128,
        "NIST SP 800-63B asks for 8 at least and 15 where it stands alone; " + COMMON,
        "shares",
    ),
    Assumption(
        "password_classes",
        "Classes of characters in a password (of 4)",
        3,
        "classes",
        1,
        4,
        COMMON,
        "shares",
    ),
    Assumption(
        "password_days",
        "Password has to be changed every (0: never)",
        0,
        "days",
        0,
        3650,
        "NIST SP 800-63B: no forced change without cause, it makes people count upwards",
        "shares",
    ),
    Assumption(
        "grant_review_days",
        "Guest and outside access looked through every",
        180,
        "days",
        1,
        3650,
        COMMON,
        "shares",
    ),
    Assumption(
        "bin_days_most",
        "Longest useful recycle bin",
        30,
        "days",
        1,
        3650,
        "7 days are usual; " + COMMON,
        "shares",
    ),
    Assumption(
        "thin_promise_factor",
        "Thin promises against the room there is",
        1.5,
        "times",
        1,
        20,
        COMMON,
        "shares",
    ),
)
