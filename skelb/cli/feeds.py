"""What stands around a practice: a stand-in for a feed, one for a receiver, and what happens as it happens."""

import contextlib
import json
import sys
import time
from dataclasses import asdict
from datetime import date
from pathlib import Path
from threading import Thread
from typing import Annotated

import numpy as np
import typer

from skelb.cli.declared import runner
from skelb.cli.files import UsageError
from skelb.cli.options import JsonOption, print_json
from skelb.cli.stored import stored_here
from skelb.core.bars import Timeframe
from skelb.core.plan import Dataset
from skelb.service.practice.feeds import onward
from skelb.service.practice.listening import Listener
from skelb.service.practice.stand_in import FAULTS, StandIn

app = typer.Typer()
run = runner(app)
_LOOK_S = 0.3


@app.command()
def feed(
    markets: Annotated[
        list[str], typer.Option("--market", metavar="SYMBOL", help="A stored market; repeat it for several.")
    ],
    timeframe: Annotated[str, typer.Option("--timeframe", metavar="15m", help="Of the bars that are said.")],
    since: Annotated[
        str, typer.Option("--from", metavar="DAY", help="The first day; the last fifth where none is named.")
    ] = "",
    pace: Annotated[
        float, typer.Option("--pace", min=0, help="So many times as quick as they came; 0: at once.")
    ] = 60.0,
    port: Annotated[int, typer.Option("--port", min=0, max=65_535, help="Where to listen on 127.0.0.1.")] = 8790,
    file: Annotated[
        Path | None, typer.Option("--file", metavar="FILE", help="Let this file grow instead of listening.")
    ] = None,
    made: Annotated[
        int | None,
        typer.Option(
            "--made", metavar="SEED", min=0, help="Made bars that go on where the stored ones end, by a seed."
        ),
    ] = None,
    faults: Annotated[
        str,
        typer.Option("--faults", metavar="late,doubled", help=f"What goes wrong now and then: {', '.join(FAULTS)}."),
    ] = "",
) -> None:
    """Serve stored bars as a feed, or made ones that go on: over a WebSocket, or to a file that grows."""
    wanted = frozenset(filter(None, (item.strip() for item in faults.split(","))))
    with stored_here() as here:
        datasets = [here.datasets.get(market, Timeframe.parse(timeframe)) for market in dict.fromkeys(markets)]
        if made is not None:
            datasets = onward(datasets, made)
        after = min(_before(dataset, since) for dataset in datasets) if made is None else -1
    stand_in = StandIn(datasets, after, pace, wanted)  # type: ignore[arg-type]
    if file is not None:
        print(f"{', '.join(markets)} {timeframe} is written to {file}", flush=True)
        with contextlib.suppress(KeyboardInterrupt):
            stand_in.write(file)
        return
    server = stand_in.listen(port)
    Thread(target=server.serve_forever, daemon=True).start()
    print(f"The feed is at ws://127.0.0.1:{server.socket.getsockname()[1]}", flush=True)
    with contextlib.suppress(KeyboardInterrupt):
        stand_in.play()
        stand_in.until.wait()
    stand_in.until.set()


@app.command()
def listen(
    port: Annotated[int, typer.Option("--port", min=0, max=65_535, help="Where to listen on 127.0.0.1.")] = 8791,
    secret: Annotated[str, typer.Option("--secret", help="Refuse what is not signed with it.")] = "",
    failing: Annotated[int, typer.Option("--failing", min=0, help="So many messages are refused first.")] = 0,
) -> None:
    """Take what practices send, and print each event once: a stand-in for a receiver."""
    listener = Listener(port, lambda told: print(json.dumps(told), flush=True), secret, failing)
    print(f"Listening at {listener.url}", file=sys.stderr, flush=True)
    with contextlib.suppress(KeyboardInterrupt):
        listener.listen()


@app.command()
def alerts(
    practice: Annotated[int | None, typer.Option("--practice", min=1, help="Only of this one.")] = None,
    follow: Annotated[bool, typer.Option("--follow", help="Go on with what happens.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Print what happened in practices: alerts, fills, what was held back, what feeds did."""
    if follow and as_json:
        raise UsageError("--json prints one document, --follow goes on: give one of them")
    with stored_here() as here, contextlib.suppress(KeyboardInterrupt):
        store = here.practices.store
        titles = {stored.number: (stored.title, stored.setup.place) for stored in store.all()}
        if practice is not None:
            store.get(practice)
        found = store.after(0, practice)
        if as_json:
            print_json([{"practice": number, **asdict(event)} for number, event in found])
            return
        last = 0
        while True:
            for number, event in found:
                said = np.datetime_as_string(np.datetime64(event.time, "s"))
                title, place = titles.get(number, (f"practice {number}", ""))
                where = " on ".join(filter(None, (title, event.market or place)))
                print(f"{said}Z  {where}  {event.kind}: {event.text}", flush=True)
                last = event.id
            if not follow and not found:
                return
            if follow:
                time.sleep(_LOOK_S)
            found = store.after(last, practice)


def _before(dataset: Dataset, since: str) -> int:
    """The moment after which bars are said."""
    days = dataset.calendar.day
    if since:
        try:
            first = int(np.searchsorted(days, np.datetime64(date.fromisoformat(since)).astype(np.int64)))
        except ValueError as exc:
            raise UsageError(f"--from takes a day such as 2024-03-01, not `{since}`") from exc
    else:
        first = int(np.searchsorted(days, days[int(len(dataset) * 0.8)]))
    return int(dataset.bars.time[first]) - 1 if first < len(dataset) else int(dataset.bars.time[-1])
