"""Which strings a phrase never uses, and which hand usually damps them (common practice)."""

from collections.abc import Iterable


def strings_to_silence(used: Iterable[int], string_count: int) -> str:
    """Say which strings to keep quiet, and how.

    Thicker ones than those played lie under the palm of the picking hand, thinner ones under the
    flat of the index finger; one between is touched by a fretting finger on its neighbour.

    Parameters
    ----------
    used : iterable of int
        Strings that sound, 1 the thinnest.
    string_count : int
        Of the guitar.

    Examples
    --------
    >>> strings_to_silence([2, 3], 6)
    'Keep quiet: strings 4, 5 and 6 under the palm, string 1 under the flat of the index finger.'
    >>> strings_to_silence([1, 2, 3, 4, 5, 6], 6)
    'Every string is played.'
    """
    played = set(used)
    if not played:
        return ""
    unused = [string for string in range(1, string_count + 1) if string not in played]
    thick = [string for string in unused if string > max(played)]
    thin = [string for string in unused if string < min(played)]
    between = [string for string in unused if min(played) < string < max(played)]
    parts = []
    if thick:
        parts.append(f"{_named(thick)} under the palm")
    if thin:
        parts.append(f"{_named(thin)} under the flat of the index finger")
    if between:
        parts.append(f"{_named(between)} with a finger on the string beside it")
    return f"Keep quiet: {', '.join(parts)}." if parts else "Every string is played."


def _named(strings: list[int]) -> str:
    words = [str(string) for string in strings]
    if len(words) == 1:
        return f"string {words[0]}"
    return f"strings {', '.join(words[:-1])} and {words[-1]}"
