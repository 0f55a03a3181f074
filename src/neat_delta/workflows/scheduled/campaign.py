"""A campaign: changes that are sent at one time and put back at another; where it is, and the two jobs of it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from neat_delta.atomic_write import write_atomic
from neat_delta.errors import InvalidInput
from neat_delta.json_form import WrongForm, from_json, json_bytes, to_json
from neat_delta.prefetch import read_bytes

if TYPE_CHECKING:
    from pathlib import Path

    from neat_delta.workflows.scheduled.run_config import RunConfig

BEFORE, START, RUNNING, END, OVER, MISSED = "before", "start", "running", "end", "over", "missed"


@dataclass(frozen=True)
class CampaignState:
    """How far a campaign is.

    Attributes:
        begins, ends: the times for which it was set, in UTC.
        sent: the folders of the runs whose updates were sent to start it, or were about to be: written down before
            anything leaves, so that whatever becomes of the machine, the end knows what to put back.
        started: when its start was done.
        ended: when its end was done.
    """

    begins: str
    ends: str
    sent: tuple[str, ...] = ()
    started: str | None = None
    ended: str | None = None


def state_path(config: RunConfig) -> Path:
    """Where the state of a file's campaign is kept."""
    return config.folder / f"{config.name}.campaign.json"


def load_state(config: RunConfig) -> CampaignState:
    """How far the campaign of a run file is; one that was set for other times has not begun.

    Raises:
        InvalidInput: the file with its state is damaged.
    """
    assert config.campaign is not None
    path = state_path(config)
    new = CampaignState(_utc(config.campaign.start), _utc(config.campaign.end))
    if not path.is_file():
        return new
    try:
        kept = from_json(read_bytes(path), CampaignState)
    except WrongForm as error:
        raise InvalidInput(
            f"the state of the campaign is damaged ({error})", file=path,
            hint="See in the history what was sent; then delete this file to start the campaign again.",
        ) from error  # fmt: skip
    # Whoever moves only the end of a campaign that runs does not start it again.
    if kept.begins == new.begins and not kept.ended:
        return replace(kept, ends=new.ends)
    return kept if kept.begins == new.begins and kept.ends == new.ends else new


def utc_now() -> str:
    """The time of now as the state has it."""
    return _utc(datetime.now(UTC))


def save_state(config: RunConfig, state: CampaignState) -> None:
    """Write down how far the campaign is."""
    write_atomic(state_path(config), json_bytes(to_json(state), indented=True) + b"\n", replace=True)


def phase(config: RunConfig, state: CampaignState, now: datetime | None = None) -> str:
    """What is to be done at a time: wait for the start, start, wait for the end, end, or nothing any more."""
    assert config.campaign is not None
    now = now or datetime.now(UTC)
    if state.ended is not None:
        return OVER
    if now >= config.campaign.end:
        # (What a start that was cut off has sent is put back as well.)
        return END if state.started is not None or state.sent else MISSED
    if state.started is not None:
        return RUNNING
    return BEFORE if now < config.campaign.start else START


def _utc(moment: datetime) -> str:
    return moment.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
