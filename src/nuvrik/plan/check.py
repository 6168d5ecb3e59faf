"""The rules between the entries of a link file, and how they are run.

Each rule is one small generator over a :class:`~nuvrik.plan.draft.Draft`; a draft may have holes
where an entry has problems of its own, and a rule says nothing about what it cannot see.
"""

from collections.abc import Callable, Iterator

from nuvrik.plan import rules_fit, rules_frames, rules_motion, rules_names, rules_pulses
from nuvrik.plan.draft import Draft
from nuvrik.plan.models import Link
from nuvrik.plan.problems import Problem

RULES: tuple[Callable[[Draft], Iterator[Problem]], ...] = (
    rules_names.made_of,
    rules_names.off_keys,
    rules_names.channel_sources,
    rules_names.toggles,
    rules_names.mixes,
    rules_names.arming,
    rules_frames.lacks,
    rules_frames.delay_guard,
    rules_frames.texts,
    rules_frames.backward,
    rules_frames.answers_fit,
    rules_pulses.infrared,
    rules_pulses.codes,
    rules_pulses.holds,
    rules_pulses.trains,
    rules_pulses.one_way,
    rules_fit.timing,
    rules_fit.sizes,
    rules_fit.pins,
    rules_fit.power_up,
    rules_fit.supply,
    rules_fit.rests,
    rules_fit.twins,
    rules_motion.presets,
    rules_motion.start_duties,
    rules_motion.sides,
    rules_motion.loads,
    rules_motion.optional_turns,
    rules_names.unused_controls,
)


def cross_check(draft: Draft) -> list[Problem]:
    """Every problem between entries, errors first."""
    order = {"error": 0, "warning": 1, "note": 2}
    found = [problem for rule in RULES for problem in rule(draft)]
    return sorted(found, key=lambda problem: order[problem.level])


def problems_in(link: Link) -> list[Problem]:
    """Warnings and notes about a link that has no errors."""
    return cross_check(Draft.of_link(link))
