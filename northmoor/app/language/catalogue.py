"""The catalogues of texts, one for each language but English, and the toolkit's use of them."""

from importlib.resources import files

from PyQt6.QtCore import QCoreApplication, QLibraryInfo, QObject, QTranslator

from northmoor.app.language.core_sentences import use_sentences
from northmoor.app.language.translation import CONTEXT, CORE, use_spelling


class Catalogue(QTranslator):
    """The program's own texts in a language, by their English ones."""

    def __init__(self, texts: dict[str, str], parent: QObject) -> None:
        super().__init__(parent)
        self._texts = texts

    def isEmpty(self) -> bool:
        """Whether there is no text in it."""
        return not self._texts

    def translate(self, context: str | None, text: str | None, *_: object) -> str | None:  # type: ignore[override]
        """A text in the language; None of what is not in the catalogue."""
        return self._texts.get(text or "") if context == CONTEXT else None


def catalogue_texts(language: str, context: str | None = None) -> dict[str, str]:
    """The texts of a language by their English ones, those of the window or of another context; none of English
    itself."""
    from babel.messages.pofile import read_po  # nobody who reads English waits for it

    source = files(__package__) / f"{language}.po"
    if not source.is_file():
        return {}
    pairs: list[tuple[str, str]] = []
    with source.open("rb") as file:
        for entry in read_po(file):
            if entry.context != context:
                continue
            if isinstance(entry.id, tuple):  # of one and of many
                pairs += zip(entry.id, entry.string or (), strict=True)
            else:
                pairs.append((str(entry.id), str(entry.string)))
    return {english: text for english, text in pairs if english and text}


def use_language(application: QCoreApplication, language: str) -> None:
    """Have all texts in a language from here on. Modules hold texts, so it comes before they are imported."""
    of_dialogs = QTranslator(application)
    if of_dialogs.load(f"qtbase_{language}", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
        application.installTranslator(of_dialogs)
    application.installTranslator(Catalogue(catalogue_texts(language), application))
    use_sentences(catalogue_texts(language, CORE))
    use_spelling(language)
