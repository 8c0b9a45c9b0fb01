"""Every transaction of a use case that writes is done again where the database undid it for others' sake."""

from __future__ import annotations

import ast
from pathlib import Path

SERVICES = Path(__file__).resolve().parents[2] / "src/mesotrope/services"

#: What does a transaction again, or hands it to one that does.
DOES_AGAIN = {"again", "done_again", "do_once"}

#: Transactions that need it not, and why.
NEEDS_IT_NOT = {
    ("chain", "own_counts"): "reads",
    ("day", "_rows"): "reads",
    ("jobs", "open_job"): "reads",
    ("jobs", "visits_of"): "reads",
    ("learnt_versions", "learn_in"): "reads; what it writes is done again",
    ("passwords", "set_password_by_command"): "the operator sees it and asks again",
    ("set_up", "set_up"): "nobody else is there yet",
    ("sweeping", "sweep"): "the clock does it again",
    ("system", "back_up_and_note"): "one new row, after the backup",
}


def test_what_writes_is_done_again_where_it_was_undone():
    assert _left_alone() == set(NEEDS_IT_NOT)


def _left_alone():
    """By module and name, the functions that begin a transaction which nothing does again."""
    out = set()
    for file in SERVICES.glob("*.py"):
        for function in ast.parse(file.read_text()).body:
            if isinstance(function, ast.FunctionDef):
                inner = [one for one in ast.walk(function) if isinstance(one, ast.FunctionDef)]
                calls = [one for one in ast.walk(function) if isinstance(one, ast.Call)]
                handed = [one for call in calls if _names([call.func]) & DOES_AGAIN for one in call.args]
                done = _names([*function.decorator_list, *handed])
                left = [one for one in inner if not (done | _names(one.decorator_list)) & {one.name, *DOES_AGAIN}]
                if any(map(_begins, left)):
                    out.add((file.stem, function.name))
    return out


def _names(nodes):
    return {node.id for node in nodes if isinstance(node, ast.Name)}


def _begins(function):
    """Whether a function begins a transaction itself, not in another that is written in it."""
    within = list(ast.iter_child_nodes(function))
    while within:
        node = within.pop()
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "begin":
            return True
        if not isinstance(node, ast.FunctionDef):
            within.extend(ast.iter_child_nodes(node))
    return False
