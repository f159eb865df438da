"""practices of baskets: bars and events name their market, and how far all markets have been let through"""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

_MARKET = "(SELECT json_extract(practice.setup, '$.market') FROM practice WHERE practice.id = {}.practice_id)"


def upgrade() -> None:
    op.create_table(
        "practice_history",
        sa.Column("practice_id", sa.Integer(), sa.ForeignKey("practice.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("market", sa.String(64), primary_key=True),
        sa.Column("bars", sa.LargeBinary(), nullable=False),
    )
    op.execute(
        "INSERT INTO practice_history (practice_id, market, bars)"
        " SELECT id, json_extract(setup, '$.market'), history FROM practice"
    )
    op.drop_column("practice", "history")
    op.add_column("practice", sa.Column("through", sa.BigInteger(), nullable=False, server_default="0"))
    op.execute(
        "UPDATE practice SET through = coalesce("
        "(SELECT max(time) FROM practice_bar WHERE practice_bar.practice_id = practice.id), since - 1)"
    )
    numbers = [sa.Column(name, sa.Float(), nullable=False) for name in ("open", "high", "low", "close", "volume")]
    op.create_table(
        "practice_bar_of",
        sa.Column("practice_id", sa.Integer(), sa.ForeignKey("practice.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("market", sa.String(64), primary_key=True),
        sa.Column("time", sa.BigInteger(), primary_key=True),
        *numbers,
        sqlite_with_rowid=False,
    )
    op.execute(
        "INSERT INTO practice_bar_of (practice_id, market, time, open, high, low, close, volume)"
        f" SELECT practice_id, {_MARKET.format('practice_bar')}, time, open, high, low, close, volume FROM practice_bar"
    )
    op.drop_table("practice_bar")
    op.rename_table("practice_bar_of", "practice_bar")
    op.add_column("practice_event", sa.Column("market", sa.String(64), nullable=False, server_default=""))
    op.execute(f"UPDATE practice_event SET market = {_MARKET.format('practice_event')}")
