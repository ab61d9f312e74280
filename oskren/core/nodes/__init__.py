"""Sounds described by data, and rendered by pure functions."""

from oskren.core.nodes.cache import Cache
from oskren.core.nodes.model import Chained, Difference, Excerpt, Loop, Member, Mix, Node, NodeAdapter, Print, Row, Source, Step
from oskren.core.nodes.render import Renderer
from oskren.core.nodes.voices import Shape

__all__ = ["Cache", "Chained", "Difference", "Excerpt", "Loop", "Member", "Mix", "Node", "NodeAdapter", "Print", "Renderer", "Row", "Shape", "Source", "Step"]
