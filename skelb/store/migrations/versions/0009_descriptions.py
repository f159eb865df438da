"""a market's description has versions"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("market", sa.Column("earlier", sa.JSON(), nullable=False, server_default="[]"))
