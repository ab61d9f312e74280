"""A recipe on another design: its layers are found by role, then by name, then by order; what does not fit is said."""

from __future__ import annotations

from collections.abc import Sequence

from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Frozen, Member, Mix, Step
from oskren.core.vary.paths import escaped, held, ids, unescaped
from oskren.core.vary.recipe import Freedom, Recipe


class Named(Frozen):
    """A layer or step of the design a recipe was made on: how its paths name it, and what it is found by elsewhere."""

    id: str
    role: str = ""
    name: str = ""


class SavedRecipe(Frozen):
    """A recipe with what names the layers and steps it frees."""

    recipe: Recipe
    layers: tuple[Named, ...] = ()
    steps: dict[str, tuple[Named, ...]] = {}
    """Steps by the path of their chain's owner, each named by its kind."""

    @classmethod
    def of(cls, recipe: Recipe, mix: Mix) -> SavedRecipe:
        """A recipe as it is saved from a design."""
        layers = tuple(Named(id=id, role=one.role, name=one.name) for id, one in zip(ids(mix.members), mix.members, strict=True))
        steps = {f"layers/{escaped(id)}": _steps(one.chain) for id, one in zip(ids(mix.members), mix.members, strict=True) if one.chain}
        steps |= {f"groups/{escaped(one.id)}": _steps(one.chain) for one in mix.groups if one.chain}
        return cls(recipe=recipe, layers=layers, steps=steps | ({"sum": _steps(mix.chain)} if mix.chain else {}))


def _steps(chain: Sequence[Step]) -> tuple[Named, ...]:
    return tuple(Named(id=id, role=step.kind) for id, step in zip(ids(chain), chain, strict=True))


def _matched(wanted: Sequence[Named], there: Sequence[Named]) -> dict[str, str]:
    """Which of those that are there each of the wanted is: by role, then by name, then by order; each is taken once."""
    found: dict[str, str] = {}
    left = list(there)
    for by in ("role", "name"):
        for one in wanted:
            same = next((other for other in left if getattr(one, by) and getattr(other, by) == getattr(one, by)), None)
            if one.id not in found and same is not None:
                found[one.id] = same.id
                left.remove(same)
    rest = [one for one in wanted if one.id not in found]
    # by order only where neither says what it is for, so that an attack never lands on a tail
    for one, other in zip(rest, [place for place in left if not place.role], strict=False):
        if not one.role:
            found[one.id] = other.id
    return found


def fitted(saved: SavedRecipe, mix: Mix) -> tuple[Recipe, list[str]]:
    """A saved recipe on a design, and what of it did not fit, in sentences.

    A recipe whose every freedom fits by its own path is taken as it is.
    """
    there = tuple(Named(id=id, role=one.role, name=one.name) for id, one in zip(ids(mix.members), mix.members, strict=True))
    names = _matched(saved.layers, there)
    called = {one.id: one.name or one.role or one.id for one in saved.layers}
    fits: list[Freedom] = []
    said: list[str] = []
    for freedom in saved.recipe.freedoms:
        path = freedom.path
        parts = path.split("/")
        if parts[0] == "layers":
            id = unescaped(parts[1])
            if id not in names and saved.layers:
                said.append(f"{called.get(id, id)}: no layer here is for that, so {'/'.join(parts[2:])} stays still.")
                continue
            parts[1] = escaped(names.get(id, id))
        owner = "sum" if parts[0] == "sum" else "/".join(path.split("/")[:2])
        at = 2 if owner == "sum" else 3
        if len(parts) > at and parts[at - 1] == "chain":
            chain = _chain_of(mix, parts)
            steps = _matched(saved.steps.get(owner, ()), _steps(chain))
            parts[at] = escaped(steps.get(unescaped(parts[at]), unescaped(parts[at])))
        try:
            held(mix, "/".join(parts))
        except OskrenError as error:
            said.append(f"{called.get(unescaped(parts[1]), parts[1])}: {str(error).rpartition(': ')[2].rstrip('.')}, so {'/'.join(parts[2:])} stays still.")
            continue
        fits.append(freedom.model_copy(update={"path": "/".join(parts)}))
    return saved.recipe.model_copy(update={"freedoms": tuple(fits)}), said


def _chain_of(mix: Mix, parts: Sequence[str]) -> tuple[Step, ...]:
    if parts[0] == "sum":
        return mix.chain
    those: Sequence[Member] = mix.members if parts[0] == "layers" else mix.groups  # type: ignore[assignment]
    return next((one.chain for id, one in zip(ids(those), those, strict=True) if id == unescaped(parts[1])), ())
