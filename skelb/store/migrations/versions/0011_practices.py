"""practices: strategies that follow a feed, the bars they took, what happened"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "practice",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("version", sa.Integer()),
        sa.Column("setup", sa.JSON(), nullable=False),
        sa.Column("feed", sa.JSON(), nullable=False),
        sa.Column("since", sa.Integer(), nullable=False),
        sa.Column("history", sa.LargeBinary(), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("message", sa.String(500), nullable=False),
        sa.Column("run_id", sa.Integer()),
        sa.Column("webhook", sa.String(500), nullable=False),
        sa.Column("secret", sa.String(200), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.Column("removed_at", sa.DateTime(timezone=True)),
    )
    op.create_index("ix_practice_title", "practice", ["title"])
    op.create_table(
        "practice_bar",
        sa.Column("practice_id", sa.Integer(), sa.ForeignKey("practice.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("time", sa.BigInteger(), primary_key=True),
        *(sa.Column(name, sa.Float(), nullable=False) for name in ("open", "high", "low", "close", "volume")),
        sqlite_with_rowid=False,
    )
    op.create_table(
        "practice_event",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("practice_id", sa.Integer(), sa.ForeignKey("practice.id", ondelete="CASCADE"), nullable=False),
        sa.Column("key", sa.String(120), nullable=False),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("bar", sa.BigInteger(), nullable=False),
        sa.Column("time", sa.BigInteger(), nullable=False),
        sa.Column("text", sa.String(500), nullable=False),
        sa.Column("sent", sa.String(8), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("due", sa.BigInteger(), nullable=False),
        sa.Column("answer", sa.String(200), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("practice_id", "key"),
    )
    op.create_index("ix_practice_event_practice_id", "practice_event", ["practice_id"])
    op.create_index("ix_practice_event_sent", "practice_event", ["sent"])
    op.create_table(
        "practice_try",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("event_id", sa.Integer(), sa.ForeignKey("practice_event.id", ondelete="CASCADE"), nullable=False),
        sa.Column("answer", sa.String(200), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_practice_try_event_id", "practice_try", ["event_id"])
