"""baskets have names"""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "basket",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(100), nullable=False, unique=True),
        sa.Column("markets", sa.JSON(), nullable=False),
        sa.Column("removed_at", sa.DateTime(timezone=True), nullable=True),
    )
