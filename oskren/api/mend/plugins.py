"""Plug-ins of this machine: opened by their path, listed, given another try, taken off the shelf."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InStudio
from oskren.api.doors import whole_path
from oskren.core.errors import OskrenError
from oskren.core.plugins import outside, shelf
from oskren.core.plugins.shelf import Parameter, Plugin

router = APIRouter(prefix="/plugins", tags=["plugins"])


class PluginView(BaseModel):
    """A plug-in on the shelf; ``passed_over`` says why it cannot be used now, if it cannot."""

    key: str
    name: str
    maker: str
    path: str
    parameters: list[Parameter]
    state: str
    passed_over: str


class ToOpenPlugin(BaseModel):
    path: str = Field(min_length=1, max_length=4000)


def _view(plugin: Plugin) -> PluginView:
    return PluginView(**plugin.model_dump(include=set(PluginView.model_fields) - {"passed_over"}), passed_over=plugin.passed_over)


def _known(key: str) -> Plugin:
    found = shelf.plugins().get(key)
    if found is None:
        raise OskrenError("That plug-in is not on the shelf any more; open its file again.")
    return found


@router.get("")
def plugins() -> list[PluginView]:
    """Everything on the shelf, by name."""
    return sorted(map(_view, shelf.plugins().values()), key=lambda one: one.name.lower())


@router.post("")
def open_plugin(studio: InStudio, wanted: ToOpenPlugin) -> list[PluginView]:
    """Look into a plug-in file, in a process of its own, and put what it holds on the shelf."""
    return [_view(one) for one in studio.workers.submit("question", outside.open_file, whole_path(wanted.path, "the plug-in")).result()]


@router.post("/{key}/retry")
def retry(key: str) -> PluginView:
    """Give a plug-in that failed another try."""
    shelf.try_again(_known(key).key)
    return _view(_known(key))


@router.delete("/{key}")
def remove(key: str) -> list[PluginView]:
    """Take a plug-in off the shelf; what is left. Steps that use it are kept and passed over."""
    shelf.remove(_known(key).key)
    return plugins()
