"""What the groups of another directory mean here: roles and teams."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import Field

from ironmark.pages.model.field_types import Key, Model, Name
from ironmark.store.accounts import Role

SETTING = "groups"  # that holds the table
_POWER: tuple[Role, ...] = ("reader", "keeper", "analyst", "owner")


class GroupRow(Model):
    """group: as the directory calls it. role: None for none of its own."""

    group: Name
    role: Role | None = None
    teams: list[Key] = Field(default=[], max_length=50)


class GroupsBody(Model):
    rows: list[GroupRow] = Field(default=[], max_length=200)


def meant_by(table: GroupsBody, groups: Sequence[str]) -> tuple[Role | None, list[str]]:
    """The most powerful role that some groups give, None for none, and the teams of all of them."""
    mine = [row for row in table.rows if row.group in groups]
    roles = [row.role for row in mine if row.role is not None]
    return max(roles, key=_POWER.index, default=None), list(dict.fromkeys(team for row in mine for team in row.teams))
