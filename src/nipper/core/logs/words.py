"""What the headings of strangers' tables say: quantities, units and roles in twenty languages.

English, German, French, Spanish, Italian, Polish, Portuguese, Dutch, and those of
:mod:`.languages`; by common practice of naming, from memory. A heading only proposes: what stands
in the column decides (:mod:`.propose`).
"""

import re
import unicodedata
from collections import Counter
from collections.abc import Callable, Sequence
from functools import cache, cached_property, lru_cache

from nipper.core.logs.languages import MORE

MANY = 4  # headings, before what they share tells nothing


def _bare(text: str) -> str:
    """Lower case, without accents."""
    text = unicodedata.normalize("NFKD", text.replace("ß", "ss").replace("ł", "l"))
    return "".join(c for c in text if not unicodedata.combining(c)).lower()


@lru_cache(maxsize=4096)
def plain(name: str) -> str:
    """A heading without accents, case, camel humps and underscores."""
    text = _bare(re.sub(r"([a-z])([A-Z])", r"\1 \2", name))
    return " ".join(re.sub(r"[_\-./:|\\,;#\[\](){}]+", " ", text).split())


class Words:
    """A regular expression of the words for a quantity, compiled when it is first searched for: no
    heading of a plain log ever is.
    """

    def __init__(self, pattern: str) -> None:
        self.pattern = pattern

    @cached_property
    def _compiled(self) -> re.Pattern[str]:
        return re.compile(self.pattern)

    def search(self, text: str) -> re.Match[str] | None:
        """The first of the words in a heading that :func:`plain` has made plain."""
        return self._compiled.search(text)


def _said(quantity: str, pattern: str) -> Words:
    """The words, and what the further languages say of the quantity."""
    return Words(f"{pattern}|{_bare(MORE[quantity])}")


CELL = _said(
    "CELL", r"cell|zell|celul|celd|cella|cellul|ogniw|element|\bcel\b|^[czv] ?\d|\bc\d|\bzl?\d"
)
VOLTAGE = _said(
    "VOLTAGE",
    r"volt|spann|tension|tensao|napiec|spanning|\bu\b|\bv\b|\bm?v\b|^[uv] ?\d|\bu(?:bat|pack|ges)",
)
CURRENT = _said(
    "CURRENT",
    r"curr|strom|\bamp|courant|corrient|corrente|prad\b|stroom|intensi|\bi\b|\bi(?:bat|pack)"
    r"|^m?a ?\+?$|\bcur\b|^m?a (?:in|out)$",
)
DISCHARGE = _said(
    "DISCHARGE",
    r"disch|entlad|decharg|descarg|scaric|rozlad|ontlaa?d|discarg|\bdsg\b|abgabe|\bout\b",
)
CHARGE = _said(
    "CHARGE",
    r"charg|lade|laden|ladung|carga|carica|ladowan|oplad|laads|\bchg\b|\bin\b|recarga|ricaric",
)
POWER = _said(
    "POWER", r"power|leistung|puissance|potenc|potenz|\bmoc\b|vermogen|watt|\bk?w\b|\bp\b"
)
PACK = _said(
    "PACK",
    r"pack|total|\bsum|gesamt|batt|bater|akku|accu|string|bank|akumul|stack|system|\bvbat|\bubat"
    r"|totaal|totale|suma",
)
TEMPERATURE = _said(
    "TEMPERATURE",
    r"temp|ntc|^t ?\d*$|\bt\d+\b|\d t$|thermi|warme|degre|^(sensor|sonde|fuhler) ?\d*$",
)
SOC = _said(
    "SOC",
    r"\bsoc|state of charge|ladest(?!rom|ark)|ladezust|charge level|fullstand|niveau"
    r"|etat de (la )?charge"
    r"|estado de carga|stato di carica|stan nalad|laadtoest|laadstat|laadnive|carga pct|charge pct"
    r"|fuel gauge"
    r"|estado carga|batt(ery)? (level|pct|percent)|nivel",
)
HEALTH = _said(
    "HEALTH", r"\bsoh|health|gesund|sante|salud|salute|zdrow|gezond|cycl|zykl|humid|feucht"
)
LIMIT = _said(
    "LIMIT",
    r"limit|setp|\bset\b|soll|target|allowed|permitted|zulass|\bcvl|\bccl|\bdcl|grenz|consigne"
    r"|limite|zadan|request|schwelle|threshold|cutoff|cut off|rated|nominal|nenn|alarm|trip|protect"
    r"|abschalt|seuil|umbral|soglia|prog\b|ovp|uvp",
)
STATISTIC = _said(
    "STATISTIC",
    r"\bmin|\bmax|\bavg|\bmean|\bmittel|average|diff|delta|spread|\bmedi|sredni|gemiddeld|high"
    r"|low(?!er)|\bdev|abweich|ecart|desvi|scart|odchyl|afwijk|promedio|moyen|hoch|tiefst|durchschn|najwyz|najniz|hoogst|laagst|\bstd|median|peak|\babove|\bbelow|\brelative|\boffset"
    r"|\bminus\b|uber \d|\bover \d|\bocv\b|open circuit|estim|niedr"
    r"|kleinst|grosst|\bplus (?:bas|haut)|\bmas (?:baj|alt)|menor|mayor|maior|\bpiu (?:bass|alt)",
)
HIGHEST = Words(r"max|high|hoch|grosst|\bplus haut|\bmas alt|mayor|hoogst|najwyz|\bpiu alt|maior")
LOWEST = Words(
    r"\bmin|min\b|low|tief|niedr|kleinst|\bplus bas|\bmas baj|menor|laagst|najniz|\bpiu bass"
)
WHICH = Words(r"\bn[ro]\b|num|index|\bidx|\bid\b|\bpos|which|cell|zell|\bcel|ogniw")
MEAN = Words(
    r"\bavg|\bmean|average|mittel|promedio|moyen|\bmedi|sredni|gemiddeld|durchschn|\blast\b"
)
ELSEWHERE = _said(
    "ELSEWHERE",
    r"\bpv\b|solar|\bsun\b|sonne|\bgrid|netz|\bac\b|\bload|\blast\b|inverter|wechselr|generator|"
    r"alternat|shore|mppt|\bdc ?dc\b|panel|module? strom|reseau|onduleur|rete\b|siec|\bnet\b|zonne|"
    r"falown|carico|consum|verbrauch|house|engine|starter|\baux\b|adc|supply|bus\b|heater|mains"
    r"|charger\b|ladegerat|chargeur|cargador|caricabatt|oplader|ladowark|carregador",
)
BALANCING = _said(
    "BALANCING",
    r"balanc|bleed|ausgleich|equali[sz]|equilib|egalis|bilanc|wyrown|bypass|shunting|balans|ecualiz",
)
STATUS = _said(
    "STATUS",
    r"status|state|mode|modus|direction|richtung|etat|estado|stato|\bstan\b|flow|zustand|toestand"
    r"|kierunek|sens\b|direcc|direz|richting|\bdir\b|charging|phase|fase|activity",
)
PACK_ID = Words(
    r"pack|batter|batt|akku|module?\b|bank|device|address|serial|string|bater|accu|\bid\b|name"
    r"|slave|adress|gerat|geraet|appareil|dispositiv|urzadz|apparaat|bms|node|source|host|addr|master"
)
# a heading that can be of nothing but the moments
MOMENT_NAMED = Words(r"^(?:time ?stamp|date ?time|time|date|zeit|datum|date heure|fecha)$")
SINCE_1900 = Words(r"1900|\bntp\b")
TIME = _said(
    "TIME",
    r"time|date|stamp|\bmillis|^ms$|zeit|datum|uhr|fecha|hora|heure|ora\b|\bts\b|clock|epoch|unix"
    r"|\bt\b|data\b|"
    r"czas|godzin|tijd|tempo|horod|momento|when|last changed|last updated|\bsec|\bsek|elapsed|dauer"
    r"|\bwann\b|\bquand\b|cuando|quando|kiedy|wanneer"
    r"|duree",
)
# of the day alone, where both would do
DATE = Words(r"\bdate(?!.?time)|datum|fecha|\bdata\b|\bdato|\bdia\b|\btag\b|\bjour\b|giorno")
ELAPSED = _said(
    "ELAPSED", r"elapsed|runtime|run time|uptime|dauer|duree|durat|since|test time|total time"
)
CELLS_OWN = Words(
    r"resist|widerst|\d r$|\bri\b|impedan|\bir\b|capac|kapaz|\bah\b|alarm|status|count"
    r"|qualit|calidad|jakosc|kwaliteit|\bvalid(?:ity)?\b|\bflags?\b|gultig"
)

LONGEST_UNIT = 60  # characters
UNITS = {
    "v": ("V", 1.0), "volt": ("V", 1.0), "volts": ("V", 1.0), "mv": ("V", 1e-3),
    "cv": ("V", 1e-2), "dv": ("V", 0.1), "uv": ("V", 1e-6), "kv": ("V", 1e3),
    "millivolt": ("V", 1e-3), "millivolts": ("V", 1e-3),
    "a": ("A", 1.0), "amp": ("A", 1.0), "amps": ("A", 1.0), "ampere": ("A", 1.0),
    "amperes": ("A", 1.0), "ma": ("A", 1e-3), "ca": ("A", 1e-2), "da": ("A", 0.1), "ka": ("A", 1e3),
    "w": ("W", 1.0), "watt": ("W", 1.0), "watts": ("W", 1.0), "kw": ("W", 1e3),
    "°c": ("C", 1.0), "c": ("C", 1.0), "degc": ("C", 1.0), "deg c": ("C", 1.0),
    "celsius": ("C", 1.0), "grad": ("C", 1.0), "°": ("C", 1.0),
    "°f": ("F", 1.0), "f": ("F", 1.0), "degf": ("F", 1.0), "deg f": ("F", 1.0),
    "fahrenheit": ("F", 1.0), "k": ("K", 1.0), "kelvin": ("K", 1.0),
    "%": ("%", 1.0), "pct": ("%", 1.0), "percent": ("%", 1.0), "prozent": ("%", 1.0),
    "ah": ("Ah", 1.0), "mah": ("Ah", 1e-3), "wh": ("Wh", 1.0), "kwh": ("Wh", 1e3),
    "s": ("s", 1.0), "sec": ("s", 1.0), "secs": ("s", 1.0), "seconds": ("s", 1.0),
    "ms": ("s", 1e-3), "millis": ("s", 1e-3), "milliseconds": ("s", 1e-3),
    "min": ("s", 60.0), "h": ("s", 3600.0), "hours": ("s", 3600.0),
    "minutes": ("s", 60.0), "days": ("s", 86400.0), "us": ("s", 1e-6),
    "ohm": ("ohm", 1.0), "mohm": ("ohm", 1e-3), "Ω": ("ohm", 1.0), "mω": ("ohm", 1e-3),
}  # fmt: skip
SPELT_UNITS = frozenset({"ms", "millis", "milliseconds", "seconds", "minutes", "hours", "days"})
_NAMES = "|".join(sorted(map(re.escape, UNITS), key=len, reverse=True))


def _as_is(number: float) -> float:
    return number


def _inverse(number: float) -> float:
    return 1.0 / number


def _times(number: float) -> float:
    """Ten times as large as it should be, or to be taken a tenth of: both are written so."""
    return 1.0 / number if number > 1 else number


LETTER = re.compile(r"\b[a-z]$")
Factor = Callable[[float], float]


@cache
def _factored() -> tuple[tuple[re.Pattern[str], Factor], ...]:
    """Ways to write a unit with a factor, and what is made of the number."""
    return (
        (re.compile(rf"1\s*/\s*(\d+)\s*({_NAMES})"), _inverse),
        (re.compile(rf"(\d*[.,]?\d+)\s*({_NAMES})"), _as_is),
        (re.compile(rf"[x×*]\s*(\d*[.,]?\d+)\s*({_NAMES})?"), _times),
        (re.compile(rf"({_NAMES})\s*[x×*]\s*(\d*[.,]?\d+)"), _times),
        (re.compile(rf"({_NAMES})\s*/\s*(\d+)"), _inverse),
    )


NAMED_LETTERS = Words(r"(pack|batt\w*|bank|phase|string|module?|akku|bateria|group) [a-z]$")


def of_all(headings: Sequence[str]) -> frozenset[str]:
    """Words of something else that stand in all headings but one: the name of a plant, a suffix."""
    split = [set(plain(heading).split()) for heading in headings]
    if len(split) < MANY:
        return frozenset()
    counts = Counter(word for words_ in split for word in words_ if ELSEWHERE.search(word))
    return frozenset(word for word, count in counts.items() if count >= len(split) - 1)


def lettered(names: Sequence[str]) -> set[str]:
    """The headings of which the last word is a letter that runs from A on, and no unit."""
    out: set[str] = set()
    ends = {name: LETTER.search(plain(name)) for name in names}
    for stem in {plain(name)[: end.start()] for name, end in ends.items() if end and end.start()}:
        own = {end[0]: name for name, end in ends.items() if end and plain(name) == stem + end[0]}
        if "".join(sorted(own)).startswith("abc"):
            out |= set(own.values())
    return out


def without_unit(name: str) -> str:
    """A heading as :func:`plain` has it, without "in A" at its end, which is no way of a flow."""
    return plain(re.sub(rf"\s+in\s+(?:{_NAMES})\s*$", "", name, flags=re.IGNORECASE))


def unit_of(text: str) -> tuple[str, float] | None:
    """Quantity and factor of a unit as it is written (``mV``, ``0.1 A``, ``V x100``), or None."""
    if len(text) > LONGEST_UNIT:  # a pattern would look at it for minutes
        return None
    clean = text.strip().strip("[](){}").strip().lower().replace("µ", "u").replace("μ", "u")
    if clean in UNITS:
        return UNITS[clean]
    for pattern, factor in _factored():
        match = pattern.fullmatch(clean)
        if match:
            number = next(g for g in match.groups() if g and re.fullmatch(r"\d*[.,]?\d+", g))
            unit = next((g for g in match.groups() if g and g in UNITS), "")
            amount = float(number.replace(",", "."))
            if not amount:
                return None
            quantity, base = UNITS.get(unit, ("", 1.0))
            return quantity, base * factor(amount)
    return None


@lru_cache(maxsize=4096)
def unit_in(name: str) -> tuple[str, float] | None:
    """The unit a heading carries, in brackets or as its last word."""
    brackets = re.findall(r"[\[(]([^\])]{1,12})[\])]", name)
    for text in brackets:
        found = unit_of(text)
        if found:
            return found
    factored = re.search(rf"[x×*]\s*\d[\d.,]*\s*(?:{_NAMES})?$", name.strip().lower())
    if factored and unit_of(factored[0]):
        return unit_of(factored[0])
    words = re.split(r"[\s_/,;:.\-+±]+", re.sub(r"[\[(].*?[\])]", "", name).strip())
    if len(words) == 1 and words[0].lower() in SPELT_UNITS:
        return UNITS[words[0].lower()]
    if len(words) >= 2 and not NAMED_LETTERS.search(plain(name)):
        for count in (2, 1):
            text = " ".join(words[-count:]).strip().lower()
            if text in UNITS and len(words) > count:
                return UNITS[text]
        camel = re.search(r"[a-z](mV|mA|kW|Ah)$", words[-1])
        if camel:
            return unit_of(camel[1])
    joined = re.search(r"(?:[a-z\d+±]|^)(mV|mA|kW|Ah|°C|°F)$", name.strip())
    return unit_of(joined[1]) if joined else None


MONTHS = {
    name: i % 12 + 1
    for names in (
        "jan feb mar apr may jun jul aug sep oct nov dec",
        "january february march april may june july august september october november december",
        "januar februar marz april mai juni juli august september oktober november dezember",
        "jan feb mrz apr mai jun jul aug sep okt nov dez",
        "janvier fevrier mars avril mai juin juillet aout septembre octobre novembre decembre",
        "janv fevr mars avr mai juin juil aout sept oct nov dec",
        "enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre",
        "ene feb mar abr may jun jul ago sep oct nov dic",
        "gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre"
        " dicembre",
        "gen feb mar apr mag giu lug ago set ott nov dic",
        "stycznia lutego marca kwietnia maja czerwca lipca sierpnia wrzesnia pazdziernika listopada"
        " grudnia",
        "sty lut mar kwi maj cze lip sie wrz paz lis gru",
        "janeiro fevereiro marco abril maio junho julho agosto setembro outubro novembro dezembro",
        "jan fev mar abr mai jun jul ago set out nov dez",
        "januari februari maart april mei juni juli augustus september oktober november december",
        "jan feb mrt apr mei jun jul aug sep okt nov dec",
    )
    for i, name in enumerate(names.split())
}

# parts of a date: codes as they are, and headings without their marks
DATE_CODES = {
    "YYYY": "year", "YY": "year", "MM": "month", "MO": "month", "DD": "day", "DY": "day",
    "DDD": "doy", "DOY": "doy", "HH": "hour", "hh": "hour", "HR": "hour", "mm": "minute",
    "MI": "minute", "MN": "minute", "SS": "second", "ss": "second",
}  # fmt: skip
DATE_NAMES = {
    "year": "year yr jahr ano annee anno rok jaar vuosi ar yil",
    "month": "month mon monat mes mois mese miesiac maand mesic kuukausi manad maned ay",
    "day": "day tag dia jour giorno dzien dag den paiva gun dayofmonth",
    "doy": "doy dayofyear yearday julianday julian tagdesjahres jourdelannee",
    "hour": "hour hr hours stunde std hora heure ora godzina uur hodina tunti timme time saat",
    "hhmm": "hhmm hourminute",
    "minute": "minute min minuto minuta minuut minuutti minut dakika",
    "second": "second sec s sekunde sek segundo seconde secondo sekunda seconden sekunti sekund",
}
DATE_PARTS = {name: part for part, names in DATE_NAMES.items() for name in names.split()}


def part_of_a_date(heading: str) -> str | None:
    """Which part of a date a heading names: year, month, day, doy, hour, hhmm, minute, second."""
    return DATE_CODES.get(heading) or DATE_PARTS.get(re.sub(r"\W|_", "", plain(heading)))


CHARGING_WORDS = _said(
    "CHARGING",
    r"^(charg|lad|load|carg|caric|in$|in |ladow|oplad|\+|chg|c$|bulk|absorp|up|import"
    r"|en charge|recarg)",
)
DISCHARGING_WORDS = _said(
    "DISCHARGING",
    r"^(disch|entlad|unload|decharg|descarg|scaric|out$|out |rozlad|ontlad|-|dsg|d$|down|export"
    r"|en decharge|dis$)",
)
IDLE_WORDS = _said(
    "IDLE",
    r"^(idle|ruh|rest|stand|repos|repos|repo|off|none|float|bezcz|rust|inact|stat|no |0|wait|balanc"
    r"|full|hold|ready|normal|ok|pause|sleep)",
)
