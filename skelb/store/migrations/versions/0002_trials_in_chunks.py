"""trials keep their order and their runs as chunks of columns; looks at held-back data; preferences"""

import json
import re
from array import array

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

_TITLE = re.compile(r'^\s*title\s+"([^"]*)"', re.MULTILINE)


def upgrade() -> None:
    op.rename_table("trial", "trial_before")
    op.create_table(
        "trial",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=16), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("order", sa.JSON(), nullable=False),
        sa.Column("axes", sa.JSON(), nullable=False),
        sa.Column("parts", sa.JSON(), nullable=False),
        sa.Column("numbers", sa.LargeBinary(), nullable=True),
        sa.Column("figure_keys", sa.JSON(), nullable=False),
        sa.Column("data_version", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("message", sa.String(length=500), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_trial_title", "trial", ["title"])
    op.create_table(
        "trial_chunk",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("numbers", sa.LargeBinary(), nullable=False),
        sa.Column("parts", sa.LargeBinary(), nullable=False),
        sa.Column("figures", sa.LargeBinary(), nullable=False),
        sa.Column("errors", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_trial_chunk_trial_id", "trial_chunk", ["trial_id"])
    op.create_table(
        "look",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("market", sa.String(length=64), nullable=False),
        sa.Column("first", sa.Date(), nullable=False),
        sa.Column("last", sa.Date(), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_look_title", "look", ["title"])
    op.create_table(
        "preference",
        sa.Column("name", sa.String(length=40), nullable=False),
        sa.Column("value", sa.String(length=200), nullable=False),
        sa.PrimaryKeyConstraint("name"),
    )
    _carry_over()
    op.drop_table("trial_cell")
    op.drop_table("trial_before")


def _carry_over() -> None:
    """Earlier sweeps with everything they had finished."""
    connection = op.get_bind()
    earlier = connection.execute(sa.text("SELECT * FROM trial_before")).mappings().all()
    for row in earlier:
        setup, axes = json.loads(row["setup"]), json.loads(row["axes"])
        query = sa.text("SELECT number, figures, error FROM trial_cell WHERE trial_id = :id ORDER BY number")
        cells = connection.execute(query, {"id": row["id"]}).all()
        figures = [json.loads(cell.figures) if cell.figures else None for cell in cells]
        keys = list(next((found for found in figures if found), {}))
        title = _TITLE.search(setup["text"])
        vary = [f"{axis['name']}={','.join(_written(value) for value in axis['values'])}" for axis in axes]
        order = {"kind": "sweep", "setup": setup, "vary": vary, "objective": row["objective"], "min_trades": row["min_trades"]}  # fmt: skip
        axes = [{**axis, "ordered": all(type(value) in (int, float) for value in axis["values"])} for axis in axes]
        connection.execute(
            sa.text(
                'INSERT INTO trial (id, kind, title, "order", axes, parts, figure_keys, data_version, total, state, message,'
                " created) VALUES (:id, 'sweep', :title, :order, :axes, '[]', :keys, 0, :total, :state, :message, :created)"
            ),
            {
                **row,
                "title": title[1] if title else "",
                "order": json.dumps(order),
                "axes": json.dumps(axes),
                "keys": json.dumps(keys),
            },
        )
        if cells:
            rows = [float("nan") if one is None or one[key] is None else one[key] for one in figures for key in keys]
            errors = {place: cell.error for place, cell in enumerate(cells) if cell.error}
            connection.execute(
                sa.text(
                    "INSERT INTO trial_chunk (trial_id, count, numbers, parts, figures, errors)"
                    " VALUES (:id, :count, :numbers, :parts, :figures, :errors)"
                ),
                {"id": row["id"], "count": len(cells), "numbers": array("q", [cell.number for cell in cells]).tobytes(),
                 "parts": array("q", [0] * len(cells)).tobytes(), "figures": array("d", rows).tobytes(),
                 "errors": json.dumps(errors)},
            )  # fmt: skip


def _written(value: object) -> str:
    return ("on" if value else "off") if isinstance(value, bool) else str(value)


def downgrade() -> None:
    raise NotImplementedError("trials cannot be put back into cells: restore a backup instead")
