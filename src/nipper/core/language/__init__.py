"""What is read in the window and on paper, in another language.

A language is a gettext file (``de.po``): those that ship with Nipper, and those in the folder
``languages`` of the user's data, which come first. ``docs/nipper.pot`` is the list to begin from.
"""

from nipper.core.language.files import languages, translator

__all__ = ["languages", "translator"]
