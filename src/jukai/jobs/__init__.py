"""Engines that run the work that ``app`` asks for; each is an adapter of its port."""

from jukai.jobs.inline import InlineEngine
from jukai.jobs.threads import ThreadEngine

__all__ = ["InlineEngine", "ThreadEngine"]
