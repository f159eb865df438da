"""all tries of a script are remembered, with how good luck alone makes the best of them look; halves of a trial's days"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "tally",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("market", sa.String(64), nullable=False),
        sa.Column("timeframe_minutes", sa.Integer(), nullable=False),
        sa.Column("data_version", sa.Integer(), nullable=False),
        sa.Column("listed", sa.JSON(), nullable=False),
        sa.Column("leader", sa.JSON(), nullable=False),
        sa.Column("draws", sa.LargeBinary(), nullable=False),
        sa.UniqueConstraint("title", "market", "timeframe_minutes", "data_version"),
    )
    op.create_table(
        "tally_try",
        sa.Column("tally_id", sa.Integer(), sa.ForeignKey("tally.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("digest", sa.BigInteger(), primary_key=True),
        sa.Column("setting", sa.BigInteger(), nullable=False),
        sa.Column("sharpe", sa.Float(), nullable=False),
        sqlite_with_rowid=False,
    )
    op.add_column("trial_chunk", sa.Column("blocks", sa.LargeBinary()))
