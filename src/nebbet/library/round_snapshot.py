"""What the letters of a round are made of, as it was when the round was started."""

from collections.abc import Mapping

from msgspec.structs import replace

from nebbet.core.letter import Letter, passages_in
from nebbet.library.catalogue import Catalogue
from nebbet.library.holdings import RoundFile, Template
from nebbet.library.round_ledger import Round, Snapshot
from nebbet.library.rounds import Source


def snapshot_of(
    catalogue: Catalogue,
    template: Template,
    files: Mapping[str, RoundFile],
    edited: Mapping[int, Letter],
) -> Snapshot:
    """All that letters are made of beside a table, as it is now."""
    included = passages_in(template.content)
    passages = (catalogue.passages[one] for one in included if one in catalogue.passages)
    return Snapshot(
        template.content, tuple(catalogue.facts.values()), tuple(passages), dict(files),
        dict(edited),
    )  # fmt: skip


def as_started(catalogue: Catalogue, snapshot: Snapshot) -> Catalogue:
    """A catalogue with the facts, passages and files of a snapshot in the place of today's."""
    if snapshot.content is None:  # of a round that was started before these were kept
        return catalogue
    return replace(
        catalogue,
        facts={fact.name: fact for fact in snapshot.facts},
        passages={**catalogue.passages, **{one.id: one for one in snapshot.passages}},
        files={**catalogue.files, **{one.sha256: one.file for one in snapshot.files.values()}},
    )


def source_of(catalogue: Catalogue, made: Round) -> Source | None:
    """What the letters of a round are made of, as it was started; nothing where its template is not
    to be had any more."""
    template = catalogue.templates.get(made.template)
    content = made.snapshot.content or (template.content if template else None)
    if content is None:
        return None
    if template is None:
        template = Template(made.template, "", made.title, "retired", False, 0, content)
    then = replace(template, edition=made.edition, content=content)
    return Source(made.table, made.matches, then, made.snapshot.files, edited=made.snapshot.edited)
