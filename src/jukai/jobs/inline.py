"""Work done at once, in the thread that asks: for tests and for the command line."""

from __future__ import annotations

from jukai.app.ports import Run

__all__ = ["InlineEngine"]


class InlineEngine:
    """Runs each job while it is submitted."""

    def submit(self, job_id: str, run: Run) -> None:  # noqa: ARG002 - nothing can be asked of it later
        """Do the work."""
        run(lambda: False)

    def stop(self, job_id: str) -> None:
        """Do nothing: a job has ended before it can be stopped."""

    def busy(self) -> bool:
        """Return False: what was submitted is done."""
        return False

    def close(self) -> None:
        """Do nothing."""
