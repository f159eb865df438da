"""A program with a client made from the API's description: lists, imports, saves, sweeps, reads the table, exports.

Run by another interpreter, which has the client; says what it found as JSON.
"""

import io
import json
import sys
import time

SCRIPT = 'title "Made"\ninput n = 5 from 3 to 8 step 1\nenter long when close crosses above sma(close, n)\nexit after 4 bars\nsize 1 units\n'


def main(url, token, csv_path):
    from made import Client
    from made.api.library import markets, read_import, save_script, scripts, store_import
    from made.api.trials import export, start_trial, table, trial
    from made.models import ExportForm, ImportIn, ImportInSettings, Problem, ScriptIn, Setup, TrialOrder
    from made.types import File

    client = Client(base_url=url, headers={"x-skelb-token": token}, raise_on_unexpected_status=True)

    with open(csv_path, "rb") as file:
        read = read_import.sync(client=client, body=File(io.BytesIO(file.read())), name="made.csv", zone="UTC")
    settings = ImportInSettings.from_dict({"tick": 0.25})
    stored = store_import.sync(client=client, body=ImportIn(token=read.token, symbol="MADE", settings=settings))
    saved = save_script.sync(client=client, body=ScriptIn(text=SCRIPT))
    setup = Setup(text=SCRIPT, market="MADE", timeframe="15m", account="Dockside account")
    order = TrialOrder(setup=setup, vary=["n"], objective="net_profit", min_trades=0)
    started = start_trial.sync(client=client, body=order)
    assert not isinstance(started, Problem), started
    number = started.id
    while (found := trial.sync(number, client=client)).state == "running":
        time.sleep(0.05)
    rows = table.sync(number, client=client).rows
    refused = start_trial.sync(client=client, body=TrialOrder(setup=setup, vary=["m"]))
    print(
        json.dumps(
            {
                "markets": [market.symbol for market in markets.sync(client=client)],
                "rows": stored.bars[0].rows,
                "scripts": [script.title for script in scripts.sync(client=client)],
                "version": saved.versions[-1].number,
                "state": found.state,
                "best": rows[0].inputs.to_dict(),
                "nets": [row.figures.to_dict()["net_profit"] for row in rows],
                "csv": export.sync(number, client=client),
                "parquet": export.sync_detailed(number, client=client, form=ExportForm.PARQUET).content[:4].decode(),
                "refused": [refused.status, refused.detail] if isinstance(refused, Problem) else None,
            }
        )
    )


if __name__ == "__main__":
    main(*sys.argv[1:])
