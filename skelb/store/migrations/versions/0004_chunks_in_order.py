"""chunks of a trial are numbered, so that two programs cannot both add the next one"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("trial_chunk", sa.Column("number", sa.Integer(), nullable=False, server_default="0"))
    op.execute(
        "UPDATE trial_chunk SET number = (SELECT count(*) FROM trial_chunk AS earlier"
        " WHERE earlier.trial_id = trial_chunk.trial_id AND earlier.id < trial_chunk.id)"
    )
    op.create_index("trial_chunk_in_order", "trial_chunk", ["trial_id", "number"], unique=True)
