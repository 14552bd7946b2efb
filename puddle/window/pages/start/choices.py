"""The start page at work: what it offers, and what comes of a choice."""

from __future__ import annotations

from pathlib import Path

from puddle.formats.journal import Lost, lost_journals
from puddle.home import templates
from puddle.home.settings import journal_root, save_settings
from puddle.home.templates import Template
from puddle.window.files.kit_files import Kits
from puddle.window.pages.start.page import StartPage
from puddle.window.session.session import Session


class Starting:
    """Between the page, the preferences and the kits."""

    def __init__(self, session: Session, page: StartPage, kits: Kits) -> None:
        self._session = session
        self._page = page
        self._kits = kits
        page.new_wanted.connect(kits.new)
        page.open_wanted.connect(kits.ask_open)
        page.demo_wanted.connect(kits.demo)
        page.kit_wanted.connect(lambda name: kits.open(Path(name)))
        page.recover_wanted.connect(self.recover)
        page.template_wanted.connect(kits.new_from)
        page.default_wanted.connect(self.start_from)
        page.straight_wanted.connect(self.go_straight)
        page.remove_wanted.connect(self.remove)

    def show(self) -> None:
        """What there is now."""
        self._show_kits()
        self._show_templates()

    def _show_kits(self) -> None:
        self._page.show_offers(self._session.settings.recent, lost_journals(journal_root()))

    def recover(self, lost: Lost) -> None:
        """Opens a lost kit; one that another window has taken is no longer offered."""
        self._kits.recover(lost)
        self._show_kits()

    def start_from(self, name: str) -> None:
        """New kits start from that template."""
        self._session.settings.template = name
        save_settings(self._session.settings)
        self._show_templates()

    def go_straight(self, on: bool) -> None:
        """Whether Puddle begins with a new kit instead of this page."""
        self._session.settings.straight = on
        save_settings(self._session.settings)

    def remove(self, template: Template) -> None:
        """Takes a template of one's own away, once that was confirmed."""
        self._kits.remove_template(template)
        self._show_templates()

    def _show_templates(self) -> None:
        """Ours at once; one's own, whose files are read, once they have been."""
        settings = self._session.settings
        shipped = templates.ours()
        show = self._page.show_templates
        show(shipped, settings.template, settings.straight)

        def then(own: list[Template]) -> None:
            if own:
                show([*shipped, *own], settings.template, settings.straight)

        self._session.background.start(templates.own, then, key="templates")
