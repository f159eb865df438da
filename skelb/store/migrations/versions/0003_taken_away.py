"""scripts, markets, runs and trials can be taken away, and back"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table in ("script", "market", "run", "trial"):
        op.add_column(table, sa.Column("removed_at", sa.DateTime(timezone=True), nullable=True))
