"""A campaign: changes that are sent at one time and put back at another; where it is, and the two jobs of it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput
from neat_delta.base.json_form import WrongForm, from_json, json_bytes, to_json
from neat_delta.base.path_text import path_text
from neat_delta.changeset.serialization import parse_changes
from neat_delta.delivery.history import History
from neat_delta.files.atomic_write import write_atomic
from neat_delta.locations.prefetch import read_bytes, sha256_hex
from neat_delta.update.receipt import CHANGESET_FILE

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.history import Entry
    from neat_delta.workflows.scheduled.run_config import RunConfig

UPDATE_FOLDER = "update"
BEFORE, START, RUNNING, END, OVER, MISSED = "before", "start", "running", "end", "over", "missed"


@dataclass(frozen=True)
class CampaignState:
    """How far a campaign is.

    Attributes:
        begins, ends: the times for which it was set, in UTC.
        sent: the folders of the runs whose updates were sent to start it, or were about to be: written down before
            anything leaves, so that whatever becomes of the machine, the end knows what to put back.
        left: the checksums of the change sets of which something has left, by which the history has them.
        started: when its start was done.
        ended: when its end was done.
        history: the history file in which the start is.
    """

    begins: str
    ends: str
    sent: tuple[str, ...] = ()
    left: tuple[str, ...] = ()
    started: str | None = None
    ended: str | None = None
    history: str | None = None

    @property
    def is_sent(self) -> bool:
        """Whether its start was sent, or may have been, and its end has not put it back yet."""
        return bool(self.sent or self.started) and self.ended is None


def state_path(config: RunConfig) -> Path:
    """Where the state of a file's campaign is kept."""
    return config.folder / f"{config.name}.campaign.json"


def load_times(config: RunConfig) -> tuple[str, str]:
    """For which times a campaign is set, in UTC."""
    assert config.campaign is not None
    return _utc(config.campaign.start), _utc(config.campaign.end)


def load_state(config: RunConfig) -> CampaignState:
    """How far the campaign of a run file is; one that has ended and is set for other times has not begun.

    As long as what was sent is not put back it is the same campaign, whatever times it is set for: its prices are in
    the shop, and a formula would work on its own result.

    Raises:
        InvalidInput: the file with its state is damaged.
    """
    assert config.campaign is not None
    path = state_path(config)
    new = CampaignState(*load_times(config))
    if not path.is_file():
        return new
    try:
        kept = from_json(read_bytes(path), CampaignState)
    except WrongForm as error:
        raise InvalidInput(
            f"the state of the campaign is damaged ({error})", file=path,
            hint="See in the history what was sent; then delete this file to start the campaign again.",
        ) from error  # fmt: skip
    if kept.is_sent:
        return replace(kept, ends=new.ends)
    return kept if kept.begins == new.begins and kept.ends == new.ends else new


def sent_updates(config: RunConfig, state: CampaignState) -> list[Entry]:
    """The history's entries of what the start of a campaign has sent, or may have; the newest first.

    They are known by their change sets, and by the names of their runs' folders, wherever these lie by now.
    """
    folders = {(name, UPDATE_FOLDER) for name in state.sent}
    return [
        entry
        for entry in History(config.history_file).entries()
        if entry.has_left and (Path(entry.folder).parts[-2:] in folders or entry.changes in state.left)
    ]


def is_forgotten(state: CampaignState, entries: list[Entry]) -> bool:
    """Whether a history does not know, or not any more, of something that has left to start a campaign."""
    return bool(set(state.left) - {entry.changes for entry in entries})


def changes_of(config: RunConfig, entry: Entry) -> ChangeSet:
    """The change set that an entry has sent: the history's own copy, else the one in its folder, if that is still it.

    Raises:
        InvalidInput: there is none any more, it was changed since, or it is damaged.
    """
    saved = History(config.history_file).change_set(entry)
    if saved is not None:
        return parse_changes(saved, Path(f"history entry {entry.entry}"))
    path = Path(entry.folder) / CHANGESET_FILE
    data = read_bytes(path)
    if sha256_hex(data) != entry.changes:
        raise InvalidInput(
            f"this is not the change set that was sent (history #{entry.entry})", file=path,
            hint="Put back the file as it was when it was sent.",
        )  # fmt: skip
    return parse_changes(data, path)


def about_to_send(config: RunConfig, state: CampaignState, run: str) -> None:
    """Write down that this run is about to send the start of a campaign."""
    history = path_text(config.history_file.resolve())
    save_state(config, replace(state, sent=(*state.sent, run), history=history))


def note_left(config: RunConfig, update: Path) -> None:
    """Write down that something of the update in this folder, which starts a campaign, has left."""
    state, changes = load_state(config), sha256_hex(read_bytes(update / CHANGESET_FILE))
    if changes not in state.left:
        save_state(config, replace(state, left=(*state.left, changes)))


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
