"""Random trees of the language, for laws that hold for any of them."""

from hypothesis import strategies as st

from skelb.core.language import tree

HERE = (0, 0)
NAMES = st.sampled_from(["quick", "calm", "up", "close", "wave_2"])
NUMBERS = st.one_of(st.integers(0, 500).map(float), st.floats(0, 1e6, allow_nan=False).map(lambda x: round(x, 4)))
WORDS = st.text(alphabet="abc {}'.\"é", max_size=8)
COLORS = st.sampled_from(["ink", "long", "brass"])
FRAMES = st.one_of(st.sampled_from([5, 90, 240, 1440]), NAMES.map(lambda name: tree.Name(name, HERE)))
LEAVES = st.one_of(
    NUMBERS.map(lambda value: tree.Number(value, HERE)),
    NAMES.map(lambda name: tree.Name(name, HERE)),
    st.sampled_from(["yes", "no", "unknown"]).map(lambda word: tree.Truth(word, HERE)),
    st.integers(0, 1440).map(lambda minute: tree.Clock(minute, HERE)),
    WORDS.map(lambda text: tree.Column(text, HERE)),
)


def _larger(inner):
    many = st.lists(inner, min_size=2, max_size=3).map(tuple)
    within = st.one_of(st.none(), inner)
    symbol = st.one_of(st.sampled_from(["KELP", "OSC/VEL"]), NAMES.map(lambda name: tree.Name(name, HERE)))
    build = st.builds
    here = st.just(HERE)
    comparison = st.integers(1, 2).flatmap(lambda count: build(
        tree.Comparison, st.lists(inner, min_size=count + 1, max_size=count + 1).map(tuple),
        st.lists(st.sampled_from(["<", "<=", ">", ">=", "==", "!="]), min_size=count, max_size=count).map(tuple), here,
    ))  # fmt: skip
    argument = build(tree.Argument, st.one_of(st.none(), st.sampled_from(["n", "source"])), inner)
    return st.one_of(
        build(tree.Negative, inner, here),
        build(tree.Not, inner, here),
        build(tree.Arithmetic, st.sampled_from(["+", "-", "*", "/", "^"]), inner, inner, here),
        build(tree.Logic, st.sampled_from(["and", "or"]), many, here),
        comparison,
        build(tree.Crossing, st.sampled_from(["above", "below", "meets"]), inner, inner, here),
        build(tree.InRange, inner, inner, inner, st.booleans(), here),
        build(tree.InSet, inner, many, st.booleans(), here),
        build(tree.Is, inner, st.sampled_from(["mon", "ema"]), here, st.booleans(), here),
        build(tree.Either, inner, inner, inner, here),
        build(
            tree.Call, st.sampled_from(["ema", "highest", "abs"]), here, st.lists(argument, max_size=3).map(tuple), here
        ),
        build(tree.Field, inner, st.sampled_from(["upper", "line"]), here, here),
        build(tree.OnTimeframe, inner, FRAMES, st.booleans(), here),
        build(tree.FromMarket, inner, symbol, FRAMES, st.booleans(), here),
        build(tree.FromMarket, inner, symbol, st.none(), st.just(False), here),
        build(tree.Sequence, inner, inner, within, within, here),
        build(tree.AllOf, many, within, within, here),
        build(tree.Total, st.sampled_from(["k", "j"]), here, inner, inner, inner, here),
    )


EXPRESSIONS = st.recursive(LEAVES, _larger, max_leaves=8)
SMALL = st.recursive(LEAVES, _larger, max_leaves=3)


def _statements():
    build, here, none = st.builds, st.just(HERE), st.none()
    maybe = st.one_of(none, SMALL)
    side = st.sampled_from([None, "long", "short"])
    text = WORDS
    named = st.one_of(none, text)
    unit = st.sampled_from(["price", "percent", "pips", "ticks", "cash", "R"])
    distance = build(tree.Distance, SMALL, unit, here)
    level = st.one_of(distance, build(tree.Distance, SMALL, st.just("at"), here))
    order = st.one_of(
        build(tree.Order, st.sampled_from(["market", "close"]), none, none, here),
        build(tree.Order, st.sampled_from(["limit", "stop"]), SMALL, maybe, here),
    )
    form = st.sampled_from(["units", "cash", "percent", "risk_percent", "risk_cash"])
    size = build(tree.Size, form, SMALL, maybe, none, here)
    clock = st.one_of(
        st.integers(0, 1440).map(lambda minute: tree.Clock(minute, HERE)), NAMES.map(lambda name: tree.Name(name, HERE))
    )
    color = st.one_of(none, COLORS)
    colored = st.one_of(none, build(tree.Color, COLORS, none, none), build(tree.Color, COLORS, SMALL, COLORS))
    days = st.sets(st.integers(0, 6), min_size=1).map(lambda found: tuple(sorted(found)))
    times = st.lists(st.tuples(clock, clock), min_size=1, max_size=2).map(tuple)
    return st.one_of(
        build(tree.Title, text, here),
        build(tree.Note, text, here),
        build(tree.Definition, NAMES, here, EXPRESSIONS, here),
        build(tree.Carry, st.just(("a", "b")), here.map(lambda span: (span, span)), st.tuples(SMALL, SMALL), st.tuples(SMALL, SMALL), here),
        build(tree.Define, st.just("f"), here, st.just(("a", "b")), SMALL,
              st.lists(build(tree.Local, st.just("t"), here, SMALL, maybe), max_size=2).map(tuple), here),
        build(tree.Use, text, here, st.one_of(none, st.integers(1, 9)),
              st.lists(build(tree.Used, NAMES, here, NUMBERS.map(lambda value: tree.Number(value, HERE))), max_size=2).map(tuple),
              st.just("wave"), here, here),
        build(tree.Draw, st.lists(SMALL, min_size=1, max_size=2).map(tuple),
              st.sampled_from(["line", "stairs", "points", "pillars", "wash"]), named, colored, named, here),
        build(tree.Level, st.lists(SMALL, min_size=1, max_size=2).map(tuple), named, here),
        build(tree.Shade, SMALL, SMALL, color, st.none() | st.integers(1, 100).map(float), maybe, here),
        build(tree.Mark, SMALL, st.sampled_from(["above", "below"]), st.sampled_from(["pointer", "ring", "pennon", "knot"]), color, named, here),
        build(tree.Tint, SMALL, color, here),
        build(tree.Alert, SMALL, text, here),
        build(tree.Enter, st.sampled_from(["long", "short"]), SMALL, order, st.one_of(none, size), named, maybe, here),
        build(tree.Exit, side, SMALL, order, maybe, named, named, maybe, here),
        build(tree.ExitAfter, side, SMALL, st.sampled_from(["bars", "days"]), st.booleans(), maybe, here),
        build(tree.Protect, st.just("stop"), side, level, none, maybe, here),
        build(tree.Protect, st.just("target"), side, level, maybe, maybe, here),
        build(tree.Trail, side, distance, st.one_of(none, distance), maybe, here),
        build(tree.Breakeven, side, distance, st.one_of(none, distance), maybe, here),
        build(tree.Window, days, st.one_of(st.just(()), times), maybe, here),
        build(tree.Window, st.just(()), times, maybe, here),
        build(tree.Months, st.sets(st.integers(0, 11), min_size=1).map(lambda found: tuple(sorted(found))), maybe, here),
        build(tree.Dates, st.integers(10_000, 15_000), st.integers(15_000, 20_000), maybe, here),
        build(tree.Flat, clock, st.just("time"), maybe, here),
        build(tree.Flat, none, st.sampled_from(["session", "week"]), maybe, here),
        build(tree.Limit, st.sampled_from(["entries", "open", "losses", "loss"]), SMALL, maybe, here),
        build(tree.Pause, SMALL, st.sampled_from(["stop", "loss", "exit"]), maybe, here),
        build(tree.Opposite, st.sampled_from(["reverse", "exit", "ignore"]), maybe, here),
        build(tree.Size, form, SMALL, maybe, maybe, here),
        build(tree.Zone, st.just("Atlantic/Azores"), here),
    )  # fmt: skip


STATEMENTS = _statements()
