"""The rules between the entries of a link file, and how they are run.

Each rule is one small generator over a ``nuvrik.plan.rules.draft.Draft``; a draft may have holes
where an entry has problems of its own, and a rule says nothing about what it cannot see.
"""

from collections.abc import Callable, Iterator

from nuvrik.plan.form.models import Link
from nuvrik.plan.problems import Problem
from nuvrik.plan.rules import fit, frames, inputs, motion, names, pulses, radio
from nuvrik.plan.rules.draft import Draft

RULES: tuple[Callable[[Draft], Iterator[Problem]], ...] = (
    names.made_of,
    names.off_keys,
    names.channel_sources,
    names.toggles,
    names.mixes,
    names.arming,
    frames.lacks,
    frames.delay_guard,
    frames.authenticated,
    frames.texts,
    frames.backward,
    frames.answers_fit,
    pulses.infrared,
    pulses.codes,
    pulses.holds,
    pulses.trains,
    pulses.one_way,
    radio.radio,
    radio.serial_module,
    fit.places,
    fit.patience,
    fit.timing,
    fit.sizes,
    fit.pins,
    fit.control_pins,
    fit.contacts,
    fit.same_item,
    fit.power_up,
    fit.supply,
    fit.rests,
    fit.twins,
    inputs.switches,
    inputs.scales,
    motion.presets,
    motion.never_at_rest,
    motion.each_output,
    motion.sides,
    motion.optional_turns,
    names.triggers,
    names.unused_controls,
)


def cross_check(draft: Draft) -> list[Problem]:
    """Every problem between entries, errors first."""
    order = {"error": 0, "warning": 1, "note": 2}
    found = [problem for rule in RULES for problem in rule(draft)]
    return sorted(found, key=lambda problem: order[problem.level])


def problems_in(link: Link) -> list[Problem]:
    """Warnings and notes about a link that has no errors.

    >>> [problem.where for problem in problems_in(nuvrik.load("curtain.toml"))]
    ['medium.accept', 'medium.accept', 'medium.accept']
    """
    return cross_check(Draft.of_link(link))
