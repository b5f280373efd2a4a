"""Odd names of properties: whatever a game calls its properties, every way of recording and showing them takes it."""

_OURS = (
    "id kind parent every only_while properties generation source thing ids arrays named self cls name names life lifetime "
    "lifetimes frame frames t time times wall steps scale paused shape index key called signal has position velocity speed "
    "acceleration heading appears leaves at during before after x y z w values unit data state columns unsampled events "
    "parameters end lost facts restarts about declare row rows clock_index value valid texts type table text event"
)
_LANGUAGES = (
    "class def lambda None True False import return yield async print __init__ __class__ __dict__ __slots__ __proto__ "
    "constructor prototype hasOwnProperty toString valueOf function var let new typeof undefined null NaN Infinity this"
)
_PIECES = (
    ".", "..", "a.b", "position.x", "position.y", ".hidden", "trailing.", "a..b", "%", "%%", "%2E", "%25", "%66rame", "%s", "{0}",
    "{name}", "[a|b]", "$x", "${x}", "`x`", "~", "~2", "/", "../../etc", "\\", "a\\b", "C:\\x", ":", "a:b", "*", "?", "[x]", "#",
    "&amp;", "<b>", "</script>", "<!--", "'", '"', "''", '"""', "a b", " a", "a ", "\t", "a\tb", "\n", "a\nb", "\r\n", "\0",
    "a\0b", "\x1b[31m", "\x7f", "\u00a0", "\u200b", "\u202e", "\ufeff", "\u2028", "é", "e\u0301", "ñ", "ß", "İ", "漢字", "かな", "한글",
    "עברית", "العربية", "ไทย", "हिन्दी", "🏮", "👩‍🚀", "𝔘", "0", "1", "-1", "01", "1.5", "1e5", "+", "-", "--", "---x", "=", "a=b", ";", ",",
    "a,b", "|", "||", "&&", "@", "@x", "^", "(", "()", "f(x)", "{}", "[]", "!", "!!", "x" * 255, "漢" * 90, "select * from t",
)  # fmt: skip


def odd_names() -> tuple[str, ...]:
    """Return some two hundred names that a game may give its properties, among them all that the library uses itself.

    Example:
        >>> names = odd_names()
        >>> len(names) >= 200, {"id", "frame", "position.x", "__proto__"} <= set(names)
        (True, True)
    """
    return tuple(dict.fromkeys((*_OURS.split(), *_LANGUAGES.split(), *_PIECES)))
