"""accounts can be taken away and brought back"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("account", sa.Column("removed_at", sa.DateTime(timezone=True), nullable=True))
