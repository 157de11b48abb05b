"""A few long journeys through the real interface."""

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page

pytestmark = [pytest.mark.browser, pytest.mark.xdist_group("browser")]
SHEETS = ("bench", "pools", "shares", "copies", "week", "proof", "log")


@pytest.mark.parametrize("width", [1280, 390])
def test_every_sheet_of_the_demo_lab_is_accessible_by_day_and_night(page: Page, width: int) -> None:
    page.size(width, 844)
    for sheet in SHEETS:
        page.sheet(sheet)
        page.reads_no_more("drawing ...")
        page.accessible()
        page.fits()
        if width > 390:
            page.stands_still()
        # The night drawing differs in its colours alone.
        page.driver.execute_script("document.documentElement.dataset.drawing = 'night'")
        page.accessible(["color-contrast"])


def test_from_a_disk_in_the_hand_to_a_proof_on_paper(page: Page) -> None:
    """An empty plan, built up by hand until the proof stands and the papers are written."""
    page.open("/plans")
    page.fill("Name of the lab", "Quiet <b>corner</b> & sons")
    page.press("start")
    page.reads("An empty bench")
    page.accessible()
    page.press("add the first site")
    page.fill("Name", "home")
    page.press("add")
    page.closed()
    page.keys("h")
    page.fill("Name", "box")
    page.press("add")
    page.closed()

    # A size with a comma is told at the field, and what was typed stays.
    page.keys("n")
    page.fill("Label", "D1")
    page.fill("Capacity", "12,5TB")
    page.press("add")
    page.reads("write the size with a decimal point")
    assert page.field("Capacity").get_attribute("value") == "12,5TB"
    page.fill("Capacity", "12TB")
    page.choose("In host", "box")
    page.fill("Bay", "3.5-1")
    page.press("add")
    page.closed()
    page.reads("12.0 TB")
    page.reads("10.9 TiB")
    for number in (2, 3):
        page.keys("n")
        page.fill("Capacity", "12TB")
        page.choose("In host", "box")
        page.fill("Bay", "3.5-1")
        page.press("add")
        page.reads("bay 3.5-1 of box already holds D1")
        page.fill("Bay", f"3.5-{number}")
        page.press("add")
        page.closed()

    # Pools: every layout that the three allow; RAIDZ1 is chosen.
    page.keys("2")
    for number in (1, 2, 3):
        page.tick(f"D{number}")
    page.reads("What these 3 disks allow")
    for family in ("span, 3 wide", "RAID 5, 3 wide", "RAIDZ1, 3 wide", "mirror (RAID 1), 3 wide"):
        page.see(family, "td")
    page.press("choose RAIDZ1, 3 wide")
    page.see("RAIDZ1, 3 wide is chosen", "button")
    assert "23.8" in page.figure("Usable")

    # Data, a share, a person and a grant.
    page.button("new dataset")
    page.fill("Name", "letters")
    page.fill("Size", "300 GB")
    page.fill("Change", "1 GB")
    page.choose("Worth", "irreplaceable")
    page.press("add")
    page.closed()
    page.keys("3")
    page.button("new share")
    page.fill("Name", "homes")
    page.press("add")
    page.reads("means something else to the file server")
    page.fill("Name", "letters")
    page.press("add")
    page.closed()
    page.button("new account")
    page.fill("Login", "ana")
    page.fill("Who", "Ana")
    page.press("add")
    page.closed()
    page.reads("valid users = -nobody-")
    cell = page.see("ana on letters: none. no grant", "button")
    cell.send_keys(Keys.ENTER)
    page.press("read and write")
    page.reads("write list = ana")

    # Without a copy the proof says what is lost; a snapshot brings the deleted folder back.
    page.keys("6")
    page.see("letters, fire at its site: lost", "button")
    page.see("letters, deleted, missed late: lost", "button")
    page.keys("4")
    page.button("new job")
    page.fill("Name", "nightly")
    page.fill("At", "26:00")
    page.press("add")
    page.reads("write the time as HH:MM")
    page.fill("At", "02:00")
    page.press("add")
    page.closed()
    page.reads("every day at 02:00")
    page.keys("6")
    page.wait(
        lambda d: d.find_elements(
            By.XPATH,
            '//button[starts-with(@aria-label, "letters, deleted, missed late: ")'
            ' and contains(@aria-label, "comes back")]',
        )
    )
    page.keys("7")
    page.see("log it: disk check, D1", "button").click()
    page.fill("On", "2026-02-31")
    page.press("add")
    page.reads("valid date")
    page.fill("On", "2026-11-20")
    page.press("add")
    page.closed()
    page.reads("disk check, D1")

    # Papers: the runbook names the lab as it is called, markup and all.
    page.keys("f")
    page.reads("runbook.md")
    page.keys(Keys.ESCAPE)
    page.closed()
    plan = page.driver.current_url.split("/plan/")[1].split("/")[0]
    page.open(f"/plan/{plan}/runbook")
    page.reads("Runbook: Quiet <b>corner</b> & sons")
    page.reads("Pull the mains plug")
    page.accessible()
    page.open(f"/plan/{plan}/restore-sheet")
    page.reads("Stop the jobs first")
    page.press("deleted, missed late", "a")
    page.accessible()
    page.fits()


def test_figures_show_their_working_and_its_assumptions_are_edited_there(page: Page) -> None:
    page.sheet("proof")
    before = page.figure("Longest to be back")
    page.button("Longest to be back")
    page.reads("Working: longest to be back")
    page.accessible()
    box = page.driver.find_element(
        By.CSS_SELECTOR, 'input[aria-label="Until a lost box is replaced and set up"]'
    )
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("soon", Keys.ENTER)
    page.reads("write a number")
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("9999", Keys.ENTER)
    page.reads("from 0 to 8760")
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("240", Keys.ENTER)
    page.reads("set in this plan")
    page.keys(Keys.ESCAPE)
    page.closed()
    page.wait(lambda _: page.figure("Longest to be back") != before)
    assert "was" in page.figure("Longest to be back")  # the demo's first revision is pinned
    page.keys("u")
    page.wait(lambda _: page.figure("Longest to be back") == before)
    page.keys("U")
    page.wait(lambda _: page.figure("Longest to be back") != before)
    page.keys("v")
    page.reads("What changed in the plan")
    page.reads("order_box_hours")
    page.keys(Keys.ESCAPE)
    page.closed()
    page.keys("u")
    page.wait(lambda _: page.figure("Longest to be back") == before)


def test_a_disk_is_moved_by_keyboard_and_back_with_undo(page: Page) -> None:
    page.sheet("bench")
    page.wait(lambda d: d.find_element(By.CSS_SELECTOR, 'button[aria-label^="D11 "]')).send_keys(
        " "
    )
    page.reads("In the hand: D11")
    page.see("empty bay 3.5-11 of heron: put D11 here", "button").send_keys(Keys.ENTER)
    page.reads("heron, 3.5-11")
    # A disk that a pool needs cannot be carried away from its box.
    page.wait(lambda d: d.find_element(By.CSS_SELECTOR, 'button[aria-label^="D1 "]')).send_keys(" ")
    page.press("put D1 on this shelf")
    page.reads("D1 stays where it was")
    page.keys("u")
    page.reads_no_more("heron, 3.5-11")


def test_two_tabs_edit_the_same_disk_and_nothing_is_lost(page: Page) -> None:
    page.sheet("bench")
    page.press("D2")
    page.field("Batch")
    base = f"/api/plans/{page.plan}"
    http = page.served.http
    state = http.get(base).json()
    disk = next(d for d in state["plan"]["disks"] if d["id"] == "d2")
    revision = state["meta"]["revision"]
    answer = http.put(
        f"{base}/disks/d2", json={**disk, "batch": "theirs"}, headers={"if-match": f'"r{revision}"'}
    )
    assert answer.status_code == 200
    page.fill("Batch", "mine")
    page.field("Serial").click()
    page.reads("Somebody else changed this meanwhile")
    assert page.field("Batch").get_attribute("value") == "mine"
    page.press("keep mine")
    page.wait(
        lambda _: (
            next(d for d in http.get(base).json()["plan"]["disks"] if d["id"] == "d2")["batch"]
            == "mine"
        )
    )


def test_proof_is_walked_with_the_arrow_keys(page: Page) -> None:
    page.sheet("proof")
    first = page.wait(lambda d: d.find_element(By.CSS_SELECTOR, '[data-cell="0,0"]'))
    first.send_keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT)
    page.wait(lambda d: d.switch_to.active_element.get_attribute("data-cell") == "0,2")
    page.keys(Keys.ARROW_DOWN)
    page.reads("choir tapes, box lost")
    page.reads("replace box and disks")


def test_the_rack_in_the_hand_at_390_pixels(page: Page) -> None:
    page.size(390, 844)
    page.sheet("log")
    page.fits()
    page.accessible()
    page.see("log it: password change, dipper", "button").click()
    page.fill("By", "rui")
    page.press("add")
    page.closed()
    page.reads("password change, dipper rui")
    page.fits()


@pytest.mark.parametrize("width", [1024, 1920])
def test_other_widths(page: Page, width: int) -> None:
    page.size(width, 900)
    for sheet in SHEETS:
        page.sheet(sheet)
        page.fits()


def test_the_pools_views_by_keyboard_to_a_step_ticked_on_a_phone(page: Page) -> None:
    """Years ahead, odds, the finder, a pool wanted from it, and the run sheet at the rack."""
    page.sheet("pools")
    # Two layouts held side by side.
    for title in ("RAIDZ1, 6 wide", "RAIDZ3, 6 wide"):
        page.see(f"hold {title} beside another", "input").send_keys(" ")
    page.see("Held side by side", "h2")
    page.accessible()

    page.keys("y")
    page.reads("80 % full on 2030-05")
    # The pool stands in a box with one bay left: no further group, but ways to grow in place.
    page.reads("no offer makes another redundant group in the 1 bay that is free")
    page.press("widen a group by one 12 TB")
    page.accessible()
    page.fits()

    page.keys("o")
    page.reads("What one change buys")
    page.reads("a hot spare in a bay")
    page.see("one more disk for redundancy in each group", "button").send_keys(Keys.ENTER)
    page.reads("the same chain with this one change")
    page.keys(Keys.ESCAPE)
    page.closed()
    page.accessible()

    page.keys("i")
    page.reads("layouts are worth a look")
    page.fill("Usable at least", "9 000")
    page.keys(Keys.TAB)
    page.reads("write a size such as 1.4 TB")
    page.fill("Usable at least", "200 TB")
    page.keys(Keys.TAB)
    page.reads("usable at least 200.00 TB")
    page.reads("The nearest, with the other wishes kept, is")
    page.tick("for the same wish, over the price list")
    page.reads("What it makes")
    page.fill("Usable at least", "20 TB")
    page.keys(Keys.TAB)
    page.reads("layouts are worth a look")
    page.accessible()
    page.fits()

    page.press("shuffle S")
    page.reads("The shuffle: moving in without losing anything")
    page.reads("Copy field recordings")
    page.accessible()

    # At the rack, on a phone: the first copy took longer; what is left is reckoned with that.
    page.size(390, 844)
    page.open(f"/plan/{page.plan}/run-sheet")
    page.reads("Run sheet: Lantern Row")
    page.fits()
    page.accessible()
    took = page.see("hours that step 2 took", "input")
    took.send_keys("long")
    page.press("done")
    page.reads("write the hours as 16.5")
    took.send_keys(Keys.CONTROL, "a")
    took.send_keys("33.8")
    page.press("done")
    page.reads("took 33.8 h")
    page.reads("times as long as planned so far")
    page.press("untick")
    page.see("hours that step 2 took", "input")


def test_a_power_cut_is_planned_on_the_bench(page: Page) -> None:
    page.sheet("bench")
    page.reads("wren is not told")
    page.press("cellar UPS")
    page.fill("Waits", "600")
    page.keys(Keys.TAB)
    page.reads("is more than the battery carries: at most")
    page.fill("Waits", "5")
    page.keys(Keys.TAB)
    page.reads("waits 5 min, could wait")
    page.keys(Keys.ESCAPE)
    page.closed()
    page.press("new offer")
    page.fill("Name", "10 TB")
    page.fill("Capacity", "10TB")
    page.fill("Price", "199")
    page.press("add")
    page.closed()
    page.reads("19.90 EUR")
    page.keys("u")
    page.reads_no_more("19.90 EUR")


def test_shares_over_every_protocol_and_a_finding_settled_with_one_click(page: Page) -> None:
    page.sheet("shares")
    page.accessible()
    # What a grant would change is said before it is saved.
    cell = page.see("player on papers: none. no grant", "button")
    cell.send_keys(Keys.ENTER)
    page.keys(Keys.ARROW_DOWN)
    page.reads("It would change: player gains: none to read.")
    page.keys(Keys.ESCAPE)

    page.press("other ways W")
    page.reads("because its address is let in to machine-images")
    page.press("make them")
    page.reads("desk-12")
    page.keys("u")
    page.reads_no_more("desk-12")
    page.press("new export")
    page.choose("Over", "iSCSI")
    page.fill("Name", "second")
    page.fill("Let in", "iqn.2026-01.lab:a iqn.2026-01.lab:b")
    page.fill("Size", "10 GB")
    page.press("add")
    page.reads("two clients on one LUN destroy its file system")
    page.fill("Let in", "iqn.2026-01.lab:a")
    page.press("add")
    page.closed()
    page.accessible()

    page.press("datasets and quotas T")
    page.reads("Promised against what there is")
    page.accessible()
    page.press("addresses and apps A")
    page.reads("What listens where")
    page.accessible()
    page.fits()
    page.press("cards K")
    page.reads("net use Z:")
    page.accessible()
    page.press("read a file R")
    box = page.see("Text of the file", "textarea")
    box.send_keys("[archive]", Keys.ENTER, "path = /srv/ridge/negative-scans", Keys.ENTER)
    box.send_keys("guest ok = yes", Keys.ENTER, "strange = 1")
    page.press("read it")
    page.reads("guest: none in the plan, read in the file")
    page.reads("strange = 1")
    page.accessible()

    # The finding about NFS and root is settled where it is read.
    before = page.figure("Cautions")
    page.button("Cautions")
    page.reads("no_root_squash")
    page.button("squash root")
    page.wait(lambda _: page.figure("Cautions") != before)
    page.keys(Keys.ESCAPE)
    page.closed()


def test_copies_by_keyboard_from_the_route_to_what_is_elsewhere(page: Page) -> None:
    """A mirror with a trash can, what comes back of it, how far up it stands, room, first copies."""
    page.sheet("copies")
    page.see("Where copies lie", "h2")
    page.keys("n")
    page.fill("Name", "films beside the machines")
    page.choose("Kind", "folder mirror with trash can")
    page.tick("negative scans")
    page.tick("ripped films")
    page.choose("To pool", "ridge")
    page.fill("Trash can keeps", "7")
    page.press("add")
    page.reads("a copy inside its own source is none")
    page.choose("To pool", "anvil")
    page.press("add")
    page.closed()
    page.reads("trash can 7 days")
    page.press("films beside the machines")
    page.fill("May run from", "02:00")
    page.keys(Keys.TAB)
    page.reads("give both: from when and until when it may run")
    page.fill("and must end by", "06:00")
    page.keys(Keys.TAB)
    page.reads_no_more("give both")
    page.keys(Keys.ESCAPE)
    page.closed()
    page.accessible()

    page.keys("b")
    page.reads("Yes, from ridge to the mill")
    page.reads("ssh 100.80.0.10 zfs receive -u ridge/negative-scans-back")
    page.see("ridge to the mill: show the working", "g").send_keys(Keys.ENTER)
    page.reads("lost - state of the newest point that has it")
    page.keys(Keys.ESCAPE)
    page.closed()
    lost = page.driver.find_elements(By.CSS_SELECTOR, "main label input.entry")[1]
    lost.send_keys(Keys.CONTROL, "a")
    lost.send_keys("2026-09-01")
    page.reads("a file is lost on or after the day on which it was written")
    lost.send_keys(Keys.CONTROL, "a")
    lost.send_keys("2026-10-01")
    page.reads("No: no copy has a point with it in it any more")
    page.accessible()
    page.fits()

    page.press("three, two, one T")
    page.reads("another box, same site")
    page.see("3 counted, 3 boxes, negative scans: show the working", "g").send_keys(Keys.ENTER)
    page.reads("the data and every copy on disks that no other copy lies on")
    page.keys(Keys.ESCAPE)
    page.closed()
    page.press("every copy as a table", "summary")
    page.reads("on the same disks as")
    page.accessible()

    page.keys("s")
    page.reads("What points in time hold")
    page.press("burrow")
    page.reads("papers vault")
    page.accessible()
    page.fits()

    page.keys("e")
    page.reads("side by side on the LAN")
    page.button("over the link")
    page.reads("hour by hour at what the caps")
    page.keys(Keys.ESCAPE)
    page.closed()
    page.wait(lambda d: (d.find_elements(By.XPATH, '//button[. = "plan it"]')[-1].click(), True)[1])
    page.reads("The plan makes it over the link from today")
    page.press("it is there now")
    page.reads("The plan says it is there already")
    page.press("new limit")
    page.fill("From", "18:00")
    page.fill("To", "18:00")
    page.press("add")
    page.reads("limits nothing")
    page.fill("To", "22:00")
    page.press("add")
    page.closed()
    page.reads("18:00 to 22:00")
    page.accessible()
    page.fits()


def test_the_week_is_arranged_and_the_year_looked_through(page: Page) -> None:
    page.sheet("week")
    page.see("Clashes", "h3")
    page.reads("ridge to the mill and papers vault share the link")
    page.keys("a")
    page.reads("Start times moved so that nothing clashes")
    page.reads("met ridge to the mill")
    page.button("as it is")
    page.reads("ridge to the mill and papers vault")
    page.keys(Keys.ESCAPE)
    page.closed()
    page.accessible()
    page.fits()
    base = f"/api/plans/{page.plan}"
    before = page.served.http.get(base).json()
    page.button("move all")
    page.reads("None this week.")

    # All moves are one change, taken back with one undo.
    page.keys("u")
    page.reads("share the link")
    assert page.served.http.get(base).json()["plan"] == before["plan"]
    page.keys("y")
    page.reads("Longest night of the month")
    page.reads("2027-07-")
    page.driver.find_elements(By.CSS_SELECTOR, "tbody button")[1].send_keys(Keys.ENTER)
    page.reads("the time in which anything runs, overlaps counted once")
    page.accessible()
    page.keys(Keys.ESCAPE)
    page.closed()
    page.fits()


def test_a_risk_is_signed_and_comes_back_when_the_plan_changes(page: Page) -> None:
    """The proof: pairs, a signature, the years, and this plan against its pinned revision."""
    page.sheet("proof")
    page.see("machine images, fire at its site: lost", "button").send_keys(Keys.ENTER)
    reason = page.driver.find_element(By.XPATH, '//label[contains(., "accept this")]/input')
    page.press("sign")
    page.reads("this may not be blank")
    reason.send_keys("they are set up again in a day")
    page.press("sign")
    page.see("machine images, fire at its site: lost, signed", "button")
    page.reads("they are set up again in a day")
    page.accessible()

    # A nightly copy of the images to the mill changes what was signed.
    page.keys("4")
    page.see("Where copies lie", "h2")
    page.keys("n")
    page.fill("Name", "images to the mill")
    page.choose("Kind", "versioned backup")
    page.tick("negative scans")
    page.tick("machine images")
    page.choose("To pool", "burrow")
    page.press("add")
    page.closed()
    page.keys("6")
    page.see("What would be lost", "h2")
    cell = page.wait(
        lambda d: d.find_element(
            By.XPATH,
            '//button[starts-with(@aria-label, "machine images, fire at its site: ")'
            ' and contains(@aria-label, "comes back")]',
        )
    )
    assert "signed, but changed since" in cell.get_attribute("aria-label")
    cell.send_keys(Keys.ENTER)
    page.press("working")
    page.reads("was complete only at")
    page.reads("Until a lost box is replaced and set up")
    page.accessible()
    page.keys(Keys.ESCAPE)
    page.closed()
    page.reads("Signed, but the plan has changed under it")
    page.press("no longer accepted")
    page.reads("accept this, because")

    page.keys("a")
    page.reads("its pinned revision 1")
    page.reads("better")
    page.accessible()
    page.fits()

    page.keys("t")
    page.see("fire + key lost", "th")
    page.reads("the key was kept in the box, or with it")
    page.accessible()
    page.fits()

    page.keys("y")
    page.reads("What to change first")
    page.button("Expected loss")
    page.reads("Monte Carlo, seeded")
    page.keys(Keys.ESCAPE)
    page.closed()
    page.accessible()
    page.fits()


def test_empty_sheets_of_copies_week_and_proof_offer_a_first_step(page: Page) -> None:
    page.open("/plans")
    page.fill("Name of the lab", "nothing yet")
    page.press("start")
    page.reads("An empty bench")
    for sheet, keys, text in (
        ("4", ("r", "b", "t", "s", "e"), "Name a dataset first"),
        ("5", ("w", "a", "y"), "No jobs yet"),
        ("6", (), "Nothing to prove yet"),
    ):
        page.keys(sheet)
        for key in keys:
            page.keys(key)
            page.accessible()
            page.fits()
        if keys:
            page.keys(keys[1])
        page.reads(text)
