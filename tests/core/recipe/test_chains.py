"""Parts that follow each other in long chains and circles."""

from __future__ import annotations

import unittest
from typing import Any

from jukai.core.errors import ValueProblem
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.evaluate import evaluate
from jukai.core.recipe.resolve import Resolver

MANY = 300


def chain(count: int, *, closed: bool = False, broken: bool = False) -> Bench:
    """Parts of which each one copies the one before; every tenth only up to its first step, though it has another one."""
    parts: list[dict[str, Any]] = []
    for i in range(count):
        first: dict[str, Any] = {"id": "s1", "operator": "copy_of", "values": {"part": f"p{i - 1}"}}
        if i % 10 == 5:
            first["values"]["up_to_which_step"] = "s1"
        if i == 0 and not closed:
            first = {"id": "s1", "operator": "box", "values": {"size": [-1 if broken else 2, 3, 4]}}
        rest = [{"id": "s2", "operator": "bevel", "values": {"width": 0}}] if i % 10 == 4 else []
        parts.append({"id": f"p{i}", "name": f"P{i}", "recipe": [first, *rest]})
    if closed:
        parts[0]["recipe"][0]["values"] = {"part": f"p{count - 1}"}
    return Bench.model_validate({"name": "Chain", "parts": parts})


class Chains(unittest.TestCase):
    def test_a_long_chain_is_followed(self) -> None:
        bench = chain(MANY)
        resolver = Resolver(bench)
        last = evaluate(bench, f"p{MANY - 1}", resolver=resolver)
        self.assertIsNone(last.error)
        assert last.mesh is not None
        self.assertEqual(last.mesh.bounds.tolist()[1], [1, 1.5, 4])
        # the others are there already: each is worked out once for all that follow it
        self.assertEqual(len(resolver.parts), MANY - 1)

    def test_an_error_at_the_far_end_is_told_at_the_near_one(self) -> None:
        error = evaluate(chain(MANY, broken=True), f"p{MANY - 1}").error
        assert error is not None
        self.assertIn("'P298' stops at an error", error.message)
        self.assertLess(len(error.message), 60_000)

    def test_a_step_that_is_not_there_is_told_where_it_is_asked_for(self) -> None:
        bench = chain(3)
        bench.parts[2].recipe[0].values["up_to_which_step"] = "s9"
        error = evaluate(bench, "p2").error
        assert isinstance(error, ValueProblem)
        self.assertIn("There is no step 's9' in 'P1'", error.message)

    def test_a_large_circle_is_named(self) -> None:
        error = evaluate(chain(MANY, closed=True), "p7").error
        assert error is not None
        self.assertIn("follow each other in a circle", error.message)


if __name__ == "__main__":
    unittest.main()
