"""What was asked of a real component and of its stand-in, and where their answers differ."""

from dataclasses import dataclass, field

MOST = 20  # differences that are told; more of them say nothing new


@dataclass(slots=True)
class Compared:
    """One component: how often both were asked, and each time that they did not say the same."""

    name: str
    asked: int = 0
    differed: int = 0
    differs: list[str] = field(default_factory=list)

    def same(self, agrees: bool, why: str) -> None:
        """Both answered; `why` says what each did, where they do not agree."""
        self.asked += 1
        if agrees:
            return
        self.differed += 1
        if len(self.differs) < MOST:
            self.differs.append(why)
