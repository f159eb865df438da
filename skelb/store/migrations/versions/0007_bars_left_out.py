"""bars can be left out and brought back"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("bars", sa.Column("left_out", sa.LargeBinary(), nullable=False, server_default=sa.text("x''")))
    # No foreign key: to add one SQLite makes the table anew, and dropping the old one would take all chunks with it.
    op.add_column("bars", sa.Column("base_id", sa.Integer(), nullable=True))
