"""Every fault there is, by name, group by group."""

from nuvrik.plan.form.models import Link
from nuvrik.rehearsal import (
    faults_at_the_ends,
    faults_of_doors,
    faults_of_hands,
    faults_of_strangers,
    faults_on_air,
    faults_on_the_way,
)
from nuvrik.rehearsal.fault import GROUPS, Fault

FAULTS: dict[str, Fault] = {
    fault.name: fault
    for fault in sorted(
        (
            *faults_on_the_way.FAULTS,
            *faults_at_the_ends.FAULTS,
            *faults_of_hands.FAULTS,
            *faults_of_doors.FAULTS,
            *faults_of_strangers.FAULTS,
            *faults_on_air.FAULTS,
        ),
        key=lambda fault: GROUPS.index(fault.group),
    )
}


def faults_for(link: Link) -> dict[str, Fault]:
    """The faults that can strike a link."""
    return {name: fault for name, fault in FAULTS.items() if not fault.unfit(link)}


def unfit_for(link: Link) -> dict[str, str]:
    """The faults that cannot strike a link, and why not."""
    return {name: fault.unfit(link) for name, fault in FAULTS.items() if fault.unfit(link)}
