"""Sensors and instruments of lambda, an air–fuel ratio or a plain number; what is lost on the way to an input.

Revision ID: 0028
Revises: 0027
"""

from alembic import op

revision = "0028"
down_revision = "0027"
branch_labels = None
depends_on = None

_BEFORE = (
    "voltage", "resistance", "pressure", "temperature", "length", "angle", "share", "frequency", "duration", "current",
)  # fmt: skip
_MORE = ("lambda", "number")
_CHECKS = (
    "two instruments on one hose", "manifold against barometer at key on", "manifold against barometer under boost",
    "source against display", "a signal that stops rising", "a sensor on a regulator of its own",
)  # fmt: skip
_LINE = "expected at the input against shown"


def _known(table: str, column: str, words: tuple[str, ...]) -> None:
    name = op.f(f"ck_{table}_{column}_known")
    op.drop_constraint(name, table)
    op.create_check_constraint(name, table, f"{column} IN ({', '.join(repr(word) for word in words)})")


def upgrade() -> None:
    for table in ("sensor_type", "instrument"):
        _known(table, "quantity", (*_BEFORE, *_MORE))
    _known("cross_check", "kind", (*_CHECKS, _LINE))


def downgrade() -> None:
    """Only for a database that holds none of them; PostgreSQL refuses otherwise."""
    for table in ("sensor_type", "instrument"):
        _known(table, "quantity", _BEFORE)
    _known("cross_check", "kind", _CHECKS)
