"""What goes wrong without a sound: nothing is struck down, and who does not look does not see it.

Each says what is still wrong, what hands can try about it, and what comes of that.
"""

from collections.abc import Callable
from dataclasses import dataclass

from kavrel.core.copies.carrier import runs_on
from kavrel.core.kinds import KINDS
from kavrel.core.proof.restores import WORTH_ORDER
from kavrel.core.quantities import DAY, span_words
from kavrel.core.shares.names import job_names
from kavrel.rig.box import Box
from kavrel.rig.lab import Lab
from kavrel.rig.said import Said, failed, lines

YEAR = 365 * DAY
BACK_YEARS = 11  # a board without a battery starts at the day on which its firmware was made


@dataclass(frozen=True)
class Fault:
    """See above. `do` it to a box; `so` is what is wrong with it still, for whoever leads a drill.

    `tries`: what hands can try, by the word for it: in words, and what comes of it. `hint` is what they
    read who have not found it yet, empty where they know.
    """

    do: Callable[[Lab, str], None]
    so: Callable[[Lab, str], str]
    tries: dict[str, tuple[str, Callable[[Box], Said]]]
    hint: str = ""

    def left(self, lab: Lab, host: str) -> str:
        """What is not right yet, as far as it is known; empty once it is."""
        so = self.so(lab, host)
        return (self.hint or so) if so else ""


def with_jobs(lab: Lab) -> list[str]:
    """Boxes that start a job which makes points."""
    hosts = [runs_on(lab.index, j) for j in lab.plan.jobs if KINDS[j.kind].copies]
    return [h for h in dict.fromkeys(hosts) if h and lab.boxes[h].stores]


# --- a clock that stands years back ----------------------------------------------------------


def _clock_back(lab: Lab, host: str) -> None:
    lab.boxes[host].clock = -BACK_YEARS * YEAR


def _not_copied(lab: Lab, host: str) -> str:
    """What is wrong until its clock is right and its copies have gone on."""
    box = lab.boxes[host]
    if box.clock:
        return f"the clock of {box.name} is wrong"
    done = [p.stat().st_mtime for p in (box.folder / "state").glob("*.done")]
    newest = max((m for m in done if m <= lab.moment + DAY), default=0.0)
    if newest < lab.moment - DAY:
        return f"nothing was copied on {box.name} since: run its jobs"
    return ""


def _set_clock(box: Box) -> Said:
    was, box.clock = box.clock, 0.0
    if not was:
        return lines(f"The clock of {box.name} goes right.")
    back = span_words(abs(was))
    return lines(
        f"The clock of {box.name} stood {back} back. It is set, and keeps right by others from now on."
    )


CLOCK = Fault(_clock_back, _not_copied, {"set": ("set the clock of {} by your own", _set_clock)})


# --- a job that goes well and copies nothing ---------------------------------------------------


def _empty_list(lab: Lab, host: str) -> None:
    """The job that keeps what is worth most of a box elsewhere has no dataset in its file any more."""
    names, worth = job_names(lab.plan), WORTH_ORDER
    away = [
        (min(worth[lab.index.datasets[d].worth] for d in job.datasets), number, job)
        for number, job in enumerate(lab.plan.jobs)
        if KINDS[job.kind].copies
        and not KINDS[job.kind].by_hand
        and lab.book.source(job).host(lab.index) == host
        and lab.book.place(job).host(lab.index) != host
        and runs_on(lab.index, job) in lab.boxes
    ]
    if away:
        job = min(away)[2]
        lab.boxes[runs_on(lab.index, job) or ""].hollow.add(names[job.id])


def _copies_nothing(lab: Lab, host: str) -> str:
    hollow = sorted((name, box.name) for box in lab.boxes.values() for name in box.hollow)
    return f"{hollow[0][0]} on {hollow[0][1]} copies nothing" if hollow else ""


def _list_anew(box: Box) -> Said:
    if not box.hollow:
        return lines(f"The jobs of {box.name} are as the plan has them.")
    said = f"In the file of {', '.join(sorted(box.hollow))} no dataset stood any more. It is written anew."
    box.hollow.clear()
    return lines(said)


HOLLOW = Fault(
    _empty_list,
    _copies_nothing,
    {"list": ("write lab-jobs.json of {} anew from the plan", _list_anew)},
    "what went wrong before it would go wrong again",
)


# --- mails that nobody gets ------------------------------------------------------------------


def _mute(lab: Lab, host: str) -> None:
    lab.boxes[host].mute = True


def _no_mail(lab: Lab, host: str) -> str:
    box = lab.boxes[host]
    return f"mails of {box.name} arrive nowhere" if box.mute else ""


def _test_mail(box: Box) -> Said:
    if box.mute:
        return failed(f"Nothing came of {box.name} within ten minutes.")
    return lines(f"The mail of {box.name} came at once.")


def _relay(box: Box) -> Said:
    if not box.mute:
        return lines(f"The password that {box.name} sends mail with was right.")
    box.mute = False
    return lines("The mail service had a new password since spring. A test mail came.")


MUTE = Fault(
    _mute,
    _no_mail,
    {
        "mail": ("send yourself a test mail from {}", _test_mail),
        "relay": ("give {} the password of the mail service anew", _relay),
    },
    "nobody would be told of the next one",
)
