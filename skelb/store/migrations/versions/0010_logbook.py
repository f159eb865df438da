"""the logbook: a line for every kept run, runs that were looked at, how the tries of a script went"""

import json
import re

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

_TITLE = re.compile(r'^\s*title\s+"([^"]*)"', re.MULTILINE)


def upgrade() -> None:
    line = op.create_table(
        "log_line",
        sa.Column("id", sa.Integer(), sa.ForeignKey("run.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("parent_id", sa.Integer()),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("version", sa.Integer()),
        sa.Column("place", sa.String(200), nullable=False),
        sa.Column("timeframe", sa.String(8), nullable=False),
        sa.Column("change", sa.String(300), nullable=False),
        sa.Column("star", sa.Boolean(), nullable=False),
        sa.Column("tags", sa.JSON(), nullable=False),
        sa.Column("note", sa.String(1000), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("net_profit", sa.Double()),
        sa.Column("return_over_drawdown", sa.Double()),
        sa.Column("trades", sa.Integer()),
        sa.Column("curve", sa.LargeBinary(), nullable=False),
        sa.Column("tried", sa.Integer()),
        sa.Column("described", sa.Integer()),
        sa.Column("engine_version", sa.String(20), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("log_line_by_title", "log_line", ["title", "id"])
    op.create_index("run_removed", "run", ["removed_at"])
    op.create_table(
        "seen_run",
        sa.Column("key", sa.String(16), primary_key=True),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("setup", sa.JSON(), nullable=False),
        sa.Column("net_profit", sa.Double()),
        sa.Column("return_over_drawdown", sa.Double()),
        sa.Column("trades", sa.Integer()),
        sa.Column("seen", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("seen_run_in_order", "seen_run", ["title", "seen"])
    op.create_table(
        "tally_course",
        sa.Column("title", sa.String(200), primary_key=True),
        sa.Column("settings", sa.Integer(), nullable=False),
        sa.Column("steps", sa.JSON(), nullable=False),
        sa.Column("by", sa.JSON(), nullable=False),
        sa.Column("total", sa.Double(), nullable=False),
        sa.Column("squares", sa.Double(), nullable=False),
        sa.Column("begun", sa.DateTime(timezone=True), nullable=False),
    )
    connection = op.get_bind()
    runs = connection.execute(sa.text("SELECT id, setup, figures, engine_version, created FROM run")).all()
    for number, setup_text, figures_text, engine_version, created in runs:
        told = _line(setup_text, figures_text)
        if told is not None:
            made = sa.func.datetime(created)
            connection.execute(sa.insert(line).values(id=number, engine_version=engine_version, created=made, **told))


def _line(setup_text: str, figures_text: str) -> dict[str, object] | None:
    """What the line of a run from before says; None of one that cannot be read, which is in no list either."""
    try:
        setup, figures = json.loads(setup_text), json.loads(figures_text)
        title = (_TITLE.search(setup["text"]) or ["", ""])[1][:200]
        basket = setup.get("basket") or ()
        place = f"a basket of {len(basket)} markets" if basket else setup["market"]
        of_all = figures.get("all") or {}
        return {
            "title": title, "place": place, "timeframe": setup["timeframe"], "change": "first kept", "star": False,
            "tags": [], "note": "", "words": f"{title} {place}".lower(), "curve": b"",
            "net_profit": of_all.get("net_profit"), "return_over_drawdown": of_all.get("return_over_drawdown"),
            "trades": of_all.get("trades"),
        }  # fmt: skip
    except (KeyError, TypeError, ValueError, AttributeError):
        return None
