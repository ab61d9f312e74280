"""Every kind of long work, by name, and what each gives."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from oskren.work.engine.jobs import Kind
from oskren.work.gather.backup import BACK_UP, RELINK, BackedUp, FoundAgain
from oskren.work.gather.finishing import RECOVER, Finished
from oskren.work.gather.importing import ANCHOR, FOLLOW, IMPORT, Anchored, FollowedUp, Imported
from oskren.work.gather.offloading import OFFLOAD, Offloaded
from oskren.work.gather.uploads import TAKE_IN
from oskren.work.gather.watching import RESCAN, Scan
from oskren.work.mend.giving import GIVE, Given
from oskren.work.mend.reels import SELECT, Selected
from oskren.work.picture.exporting import HAND_OVER, HandedOver
from oskren.work.picture.films import OPEN_FILM, OpenedFilm
from oskren.work.ship.export import EXPORT, Exported
from oskren.work.ship.shipments import SHIP, Shipped
from oskren.work.slice.making import CUT, OneShots
from oskren.work.slice.measuring import MEASURE, MeasuredSlices
from oskren.work.slice.newer import REMAKE, Remade
from oskren.work.stack.designs import REBUILD, Rebuilt
from oskren.work.vary.spreads import DRAW, Rendered

KINDS: dict[str, Kind[Any]] = {
    kind.name: kind
    for kind in (
        IMPORT,
        TAKE_IN,
        OFFLOAD,
        FOLLOW,
        RECOVER,
        RESCAN,
        RELINK,
        BACK_UP,
        ANCHOR,
        GIVE,
        EXPORT,
        SELECT,
        REBUILD,
        DRAW,
        CUT,
        MEASURE,
        REMAKE,
        SHIP,
        OPEN_FILM,
        HAND_OVER,
    )
}

Results = (
    Imported
    | Offloaded
    | FollowedUp
    | Finished
    | Scan
    | FoundAgain
    | BackedUp
    | Anchored
    | Given
    | Exported
    | Selected
    | Rebuilt
    | Rendered
    | OneShots
    | MeasuredSlices
    | Remade
    | Shipped
    | OpenedFilm
    | HandedOver
)
Result = Annotated[Results, Field(discriminator="kind")]
"""What a job gave; ``kind`` says which."""
