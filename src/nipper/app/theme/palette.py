"""The tones of the workshop notebook: paper and ink by day, graphite by night, one copper
accent.
"""

from dataclasses import dataclass, fields


@dataclass(frozen=True, slots=True)
class Palette:
    """Colours by role. Status is never told by colour alone."""

    paper: str  # the page
    card: str  # raised on the page
    side: str  # What follows
    ink: str
    soft: str  # secondary text
    faint: str  # keys, disabled
    line: str
    grid: str
    copper: str  # what can be acted on
    on_copper: str
    copper_wash: str  # pressed or selected
    ok: str
    watch: str
    act: str
    act_wash: str
    highest: str
    lowest: str
    herd: str
    even: str  # middle of the heat map

    def role(self, name: str) -> str:
        """The colour of a role; an unknown name is an error that lists the known ones."""
        if name not in ROLES:
            raise KeyError(f"no colour {name!r}; known: {', '.join(ROLES)}")
        return getattr(self, name)


ROLES = tuple(f.name for f in fields(Palette))

LIGHT = Palette(
    paper="#F5F1E8",
    card="#FCFAF5",
    side="#FAF7EF",
    ink="#23292F",
    soft="#5F656B",
    faint="#8F8C82",
    line="#DCD4C4",
    grid="#E6DFD1",
    copper="#A3561C",
    on_copper="#FFFFFF",
    copper_wash="#F0E2D2",
    ok="#1D7468",
    watch="#8F6200",
    act="#AE2E24",
    act_wash="#EED9D1",
    highest="#C2452D",
    lowest="#2462A8",
    herd="#B9B3A6",
    even="#F3ECDF",
)

DARK = Palette(
    paper="#1E2124",
    card="#282C30",
    side="#24282B",
    ink="#E9E5DB",
    soft="#A9A79F",
    faint="#7C7C78",
    line="#3E4347",
    grid="#34393D",
    copper="#E0985A",
    on_copper="#1E2124",
    copper_wash="#43362B",
    ok="#5DBDAE",
    watch="#E0B04C",
    act="#F07C6C",
    act_wash="#4A3130",
    highest="#F08066",
    lowest="#76AEEF",
    herd="#6E6F6C",
    even="#33373A",
)
