"""Mean time to data loss against the paper that named RAID.

Source: D. A. Patterson, G. Gibson, R. H. Katz, "A Case for Redundant Arrays of Inexpensive Disks
(RAID)", SIGMOD 1988: disk MTTF 30,000 h, 100 data disks, repair 1 h. Groups of 10 data disks and
one check disk last about 820,000 h together, groups of 25 and one about 346,000 h.
"""

import pytest

from kavrel.core.pools.odds import mean_hours_to_loss, read_error_odds


@pytest.mark.parametrize(("data", "hours"), [(10, 820_000), (25, 346_000)])
def test_mttdl_of_the_1988_paper(data: int, hours: float) -> None:
    groups = 100 // data
    one_group = mean_hours_to_loss(data + 1, 1, 1 / 30_000, 1.0)
    assert one_group / groups == pytest.approx(hours, rel=0.005)


@pytest.mark.parametrize("data", [10, 25])
def test_chain_against_the_papers_own_formula(data: int) -> None:
    # MTTF^2 / ((D + C n_G) (G + C - 1) MTTR); the chain is exact, the formula drops small terms.
    groups = 100 // data
    formula = 30_000**2 / ((100 + groups) * data * 1.0)
    chain = mean_hours_to_loss(data + 1, 1, 1 / 30_000, 1.0) / groups
    assert chain == pytest.approx(formula, rel=0.005)


def test_reading_12_tb_in_the_ten_to_the_fourteen_class() -> None:
    # 1 - (1 - 10^-14)^bits, the data sheets' own arithmetic; value from memory: about 62 %.
    assert read_error_odds(12_000_138_625_024, 1e14) == pytest.approx(0.617, abs=0.001)
