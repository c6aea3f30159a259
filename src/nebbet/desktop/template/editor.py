"""The template editor: subject and copies, the body on paper, the ledger beside it."""

from operator import attrgetter

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from nebbet.core import checks
from nebbet.core import letter as letters
from nebbet.core.checks import Finding
from nebbet.core.comparing import Merged
from nebbet.core.letter import Content, TemplateDraft
from nebbet.core.placeholders import World
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.pause import AUTOSAVE, after_pause
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.template.beside import Beside
from nebbet.desktop.template.editor_keys import KEYS
from nebbet.desktop.template.example import Example
from nebbet.desktop.template.heading import Heading
from nebbet.desktop.template.looks import Looks
from nebbet.desktop.template.manuscript import LINES, Manuscript
from nebbet.desktop.template.prompts import Prompts
from nebbet.desktop.template.putting_in_use import PuttingInUse
from nebbet.desktop.template.saving import Saving, overtaken_by
from nebbet.desktop.template.try_it import TryIt
from nebbet.desktop.template.undoing import Undoing
from nebbet.library.drafting import Opened, Wanted, Work, take_up
from nebbet.library.holdings import Proposal, Template
from nebbet.library.writing import examine_template


class TemplateEditor(Place):
    """Edits one template; left tells that the person goes back to the shelves, passage_wanted that
    a passage is to be seen, editions_wanted the editions of a template."""

    title = "Template editor"
    help = (
        "Write as on paper. Type {{ for a placeholder, or insert one from the list on the right "
        "(Ctrl+D). Say there what each is: a blank that the writer completes, a field of the "
        "recipient, the sender or the case, a fact, a date rule, or a sum. Ctrl+T tries it. "
        "What you write is a draft that is kept at once, and with Ctrl+S; Ctrl+Shift+S checks it "
        "and puts it in use as a new edition. F8 goes through what the checks find. Ctrl+Alt+I "
        "inserts columns, buttons, fact rows and passages; Alt+Up and Alt+Down move a part. "
        "Return on an empty row, button or item leaves it. Ctrl+Z takes back, Ctrl+Shift+Z does it "
        "again. Ctrl+Alt+H shows the editions."
    )
    passage_wanted = Signal(str)
    editions_wanted = Signal(str)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._work = Work()
        self._loading = True
        self.heading = Heading()
        self.title_field = self.heading.title_field
        self.using = PuttingInUse(self.keep_now)
        self.beside = Beside(shared, self._world, self.using)
        self.ledger = self.beside.ledger
        self.manuscript = Manuscript(shared, self.ledger)
        self.body, self.lines = self.manuscript.body, self.manuscript.lines
        self.languages, self.find_bar = self.manuscript.languages, self.manuscript.find_bar
        self.condition = self.manuscript.condition
        self.copies, self.enclosures = self.beside.copies, self.beside.enclosures
        self.found_by, self.holidays = self.beside.found_by, self.beside.holidays
        self.example = Example(shared, lambda: self.heading.about)
        self.prompts = Prompts(shared.voice, self.ledger, self.manuscript)
        self.saving = Saving(shared)
        self._undoing = Undoing(self.content, self._rewrite)
        self.note = self.using.note
        self.back = pieces.button("Back to the shelves (Esc)", self.leave)
        self._timer = after_pause(self, AUTOSAVE, self.keep_draft)
        self._lay_out()
        self._connect()

    # Layout

    def _lay_out(self) -> None:
        head = QWidget()
        trial = pieces.button("Try it (Ctrl+T)", self.try_it)
        title = pieces.row(self.back, pieces.grow(self.heading), trial)
        pieces.fill(QVBoxLayout(head), title, self.languages, margin=8)
        writing = QWidget()
        pieces.fill(QVBoxLayout(writing), head, pieces.rule(), self.manuscript, spacing=0)
        self.looks = Looks(self._shared, writing, self.manuscript.focus_text)
        self.year, self.trial = self.looks.year, self.looks.trial
        pieces.fill(QHBoxLayout(self), self.looks, self.beside, spacing=0)

    def _connect(self) -> None:
        for editor in self.manuscript.editors:
            editor.opened.connect(self._open_entry)
            editor.prompts_pasted.connect(self.prompts.offer)
        self.manuscript.edited.connect(self._edited)
        self.manuscript.undo_wanted.connect(self._undoing.undo)
        self.manuscript.redo_wanted.connect(self._undoing.redo)
        self.manuscript.things.open_passage.connect(self.passage_wanted)
        self.heading.edited.connect(self._edited)
        self.heading.reframed.connect(self._other_frame)
        self.ledger.changed.connect(self._declared)
        self.ledger.insert.connect(self.manuscript.insert)
        self.ledger.renamed.connect(self._renamed)
        self.beside.changed.connect(self._edited)
        self.holidays.changed.connect(self._other_calendar)
        self.ledger.form.year.connect(self.see_year)
        self.ledger.form.example.connect(self._other_example)
        self.using.wanted.connect(self.put_in_use)
        self.saving.saved.connect(self._saved)
        self.saving.merged.connect(self._merged)
        self._shared.changed.connect(self._show_state)
        self.using.go.connect(self._show_finding)
        self.using.mend.connect(self.mend)
        for words, keys, act in KEYS:
            self.add_key(words, keys, attrgetter(act)(self))

    @property
    def template(self) -> str:
        """The id of the template at hand."""
        return self._work.template

    def arrive(self) -> None:
        """Go on in the text; a passage in it may be another one now."""
        for editor in self.manuscript.editors:
            editor.refresh()
        self.manuscript.focus_text()

    def gone(self) -> None:
        self.keep_draft()

    # Opening

    def open(self, template: Template, proposal: Proposal | None = None) -> None:
        """Take up a template, with what was not put in use last time. A proposal is what is
        answered with what is put in use."""
        self._loading = True
        catalogue = self._shared.catalogue
        kept = self._shared.own.drafts.get(template.id)
        opened = take_up(catalogue, template, kept, proposal)
        self._work, draft = opened.work, opened.draft
        self._tell_opened(opened, template)
        self.using.forget()
        self.using.show_findings(())
        self.find_bar.hide()
        self.heading.offer(catalogue)
        self.note.clear()
        self._show_draft(draft)
        self.looks.back()
        self._loading = False
        self._undoing.begin()
        self._show_state()
        self.title_field.setFocus() if not draft.title else self.body.setFocus()

    def _show_draft(self, draft: TemplateDraft) -> None:
        """Show a state of the template at hand."""
        self.heading.show_draft(draft)
        self.manuscript.sheet.set_frame(self._shared.catalogue.frame(draft.content.frame))
        self._show_content(draft.content)

    def _show_content(self, content: Content, language: str = "") -> None:
        """Show all that an edition holds, in one of its languages."""
        self.example.forget(content)
        self.beside.show_content(content)
        self.manuscript.show_content(content, language)

    def _other_frame(self) -> None:
        """Let the template stand in another frame."""
        if self._loading:
            return
        self.manuscript.sheet.set_frame(self._shared.catalogue.frame(self.heading.frame))
        self._rewrite(self.content())

    def _tell_opened(self, opened: Opened, template: Template) -> None:
        voice = self._shared.voice
        if opened.lost:
            voice.say("An unsaved draft could not be read; the edition is shown.")
        elif opened.again:
            voice.say(
                "What you had not saved last time is back.",
                "Show the edition instead",
                lambda: self._drop_draft(template),
            )

    def _drop_draft(self, template: Template) -> None:
        self._shared.own.keep_draft(template.id, None)
        self.open(template)

    # Following

    def _world(self) -> World:
        return self.example.world(self.manuscript.language, self.holidays.code)

    def _other_calendar(self) -> None:
        self.ledger.form.explain()
        self._edited()

    def _other_example(self) -> None:
        """Let another case that fits be the example."""
        self.example.next()
        self.ledger.form.explain()
        self.condition.explain()

    # The year and the trial

    def see_year(self) -> None:
        """Show what the date rule at hand does over a year."""
        self.looks.see_year(self.ledger.current, self._world())

    def try_it(self) -> None:
        """Show the letter that the template would be, or go back to the text."""
        self.looks.try_it(self._show_trial)

    def try_as_received(self) -> None:
        """Try the template, as its recipient will see it."""
        self.looks.try_it(self._show_trial, received=True)

    def _show_trial(self, trial: TryIt) -> None:
        trial.show_content(self.content(), self.manuscript.language, self.example.cases)

    def _edited(self, *_args: object) -> None:
        if not self._loading:
            self.using.forget()
            self._timer.start()

    def _declared(self) -> None:
        for editor in self.manuscript.editors:
            editor.refresh()
        self.manuscript.source.source.colours.rehighlight()
        self._edited()

    def _open_entry(self, name: str) -> None:
        """Go to a placeholder's entry; one that declares itself gets one."""
        self.ledger.declare(name)
        self.ledger.form.label.setFocus()

    def _renamed(self, old: str, new: str) -> None:
        """A renamed placeholder is renamed everywhere: in all languages, sums and conditions."""
        self._undoing.note()
        self._rewrite(letters.renamed(self.content(), old, new))
        self.ledger.go_to(new)
        self._shared.voice.say(
            said("“{old}” is called “{new}” everywhere now.", old=old, new=new),
            said("Put back"),
            self._undoing.undo,
        )

    def _rewrite(self, content: Content) -> None:
        """Show content that was changed on the person's behalf, and keep it like an edit."""
        self._loading = True
        self._show_content(content, self.manuscript.language)
        self._loading = False
        self._edited()

    # Keeping and saving

    def content(self) -> Content:
        """The template as it stands on the page."""
        return replace(self.beside.taken(self.manuscript.content()), frame=self.heading.frame)

    def _draft(self) -> TemplateDraft:
        base = self._work.base.edition
        return TemplateDraft(self.heading.title, self.heading.shelf, self.content(), base)

    def keep_draft(self) -> None:
        """Keep what is not in use yet, through a crash too; nothing changed is nothing kept."""
        self._timer.stop()
        template = self._shared.catalogue.templates.get(self.template)
        if template is None and self._work.proposal is None:
            return
        draft = self._draft()
        self._undoing.note()
        self.languages.show_older(letters.older(draft.content))
        self.ledger.show_uses(letters.uses(draft.content))
        self.manuscript.show_figures()
        kept = self._work.kept(draft)
        if kept or self.template in self._shared.own.drafts:
            self._shared.own.keep_draft(self.template, kept)
        self._show_state()

    def keep_now(self) -> None:
        """Keep the draft, and say so."""
        self.keep_draft()
        kept = self.template in self._shared.own.drafts
        words = said("Your draft is kept. Colleagues see it once you put it in use (Ctrl+Shift+S).")
        self._shared.voice.say(words if kept else said("Nothing has changed since this edition."))

    def _show_state(self) -> None:
        """Say which edition is in use, and whether there is more here than that."""
        template = self._shared.catalogue.templates.get(self.template)
        self.using.show_state(
            template.edition if template else 0,
            self._shared.others_editing(self.template),
            changed=self.template in self._shared.own.drafts,
            proposes=self.saving.proposes(self.heading.shelf),
        )

    def findings(self) -> tuple[Finding, ...]:
        """What the checks find in the template as it stands here."""
        return examine_template(self._shared.catalogue, self.content(), self._world())

    def put_in_use(self) -> None:
        """Check the template, ask what changed, and make a new edition."""
        draft = self._draft()
        self.keep_draft()
        if not draft.title:
            self._shared.voice.say("The template has no title yet: give it one first.")
            self.title_field.setFocus()
            return
        refusal = self.using.refusal(self.findings())
        if refusal:
            remedy = self.using.first_remedy
            words = f"{remedy.words} (Shift+F8)" if remedy else ""
            self._shared.voice.say(refusal, words, self.mend)
            return
        template = self._shared.catalogue.templates.get(self.template)
        if template and template.edition and self._work.is_unchanged(draft):
            self._shared.voice.say(said("Nothing has changed since this edition."))
            return
        if not self.note.text().strip():
            self._shared.voice.say(said("Say in one line what this edition is, then press Return."))
            self.note.setFocus()
            return
        self._timer.stop()
        self.saving.save(
            Wanted(self.template, draft, self.note.text().strip(), self._work.proposal)
        )

    def next_finding(self) -> None:
        """Check the template and go to what is found next."""
        found = self.findings()
        self.using.show_findings(found)
        self.using.step()
        if not found:
            self._shared.voice.say("The checks find nothing.")

    def _show_finding(self, finding: Finding) -> None:
        """Go to where a finding is."""
        self.looks.back()
        self.manuscript.show_language(finding.language)
        if finding.part in self.lines:
            self.manuscript.sheet.show_row(LINES[finding.part], True)
            self.lines[finding.part].setFocus()
        elif finding.part == "placeholders" and finding.span:
            self.ledger.go_to(finding.span)
            self.ledger.form.label.setFocus()
        else:
            self.body.show_words(finding.span)

    def mend(self) -> None:
        """Mend the first thing that is wrong and can be mended: a mistyped name, braces."""
        remedy = next((f.remedy for f in self.findings() if f.remedy), None)
        if remedy is None:
            self._shared.voice.say("There is nothing here that can be mended by itself.")
            return
        self._undoing.note()
        self._rewrite(checks.mend_content(self.content(), remedy))
        self.using.show_findings(self.findings())

    def _saved(self, wanted: Wanted, number: int, words: str) -> None:
        self._shared.voice.say(words)
        if self.template != wanted.template:
            return
        self._work = self._work.saved(wanted.draft, number)
        self.note.clear()
        if number:
            self.using.go_on(self.body)
        else:
            self.left.emit()

    def _merged(self, merged: Merged, theirs: Template) -> None:
        """Somebody was quicker: show what both made together, and say so."""
        if self.template != theirs.id:
            return
        self._loading = True
        self._show_draft(merged.draft)
        self._loading = False
        self._work = self._work.overtaken(theirs)
        self._shared.own.keep_draft(self.template, self._work.kept(merged.draft))
        self._show_state()
        author = self._shared.catalogue.members.get(theirs.author)
        words = overtaken_by(author.name if author else "", theirs.edition, merged)
        self._shared.voice.say(words, "Show both", lambda: self.editions_wanted.emit(self.template))

    def leave(self) -> None:
        """Go back one step: from finding, a year or a trial to the text, from the text to the
        shelves; what is not saved is kept."""
        if self.find_bar.isVisible():
            self.manuscript.close_find()
            return
        if self.manuscript.things.is_used:
            self.body.setFocus()
            return
        if not self.looks.is_text:
            self.looks.back()
            return
        self.left.emit()
