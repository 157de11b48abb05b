"""What smartctl 7.3 prints of a disk.

Source: smartctl(8); its words and columns are held against the tool's own reading of an ATA disk's answers.
What nobody plans, as how it tests itself, is the same for all.
"""

from collections.abc import Iterator

from kavrel.rig.smart.disk import (
    DATA_UNIT,
    DATABASE,
    FIRMWARE,
    FORMS,
    POLLING,
    TESTS,
    Attribute,
    Smart,
    clock,
    sized,
)  # fmt: skip

# The second line of the tool says whose it is: names of people are left out.
BANNER = "smartctl 7.3 2022-02-28 r5338 [x86_64-linux-6.1.0] (local build)\n\n"
COLUMNS = "ID# ATTRIBUTE_NAME          FLAG     VALUE WORST THRESH TYPE      UPDATED  WHEN_FAILED RAW_VALUE"
# How far it has come with its own checks, and what it is able to; the same for every disk here.
ABLE = """General SMART Values:
Offline data collection status:  (0x82)	Offline data collection activity
					was completed without error.
					Auto Offline Data Collection: Enabled.
Self-test execution status:      ({status:4})	{said}
Total time to complete Offline 
data collection: 		(    0) seconds.
Offline data collection
capabilities: 			 (0x7b) SMART execute Offline immediate.
					Auto Offline data collection on/off support.
					Suspend Offline collection upon new
					command.
					Offline surface scan supported.
					Self-test supported.
					Conveyance Self-test supported.
					Selective Self-test supported.
SMART capabilities:            (0x0003)	Saves SMART data before entering
					power-saving mode.
					Supports SMART auto save timer.
Error logging capability:        (0x01)	Error logging supported.
					General Purpose Logging supported.
Short self-test routine 
recommended polling time: 	 (   2) minutes.
Extended self-test routine
recommended polling time: 	 ( 600) minutes.
Conveyance self-test routine
recommended polling time: 	 (   0) minutes.

"""
WENT_WELL = """The previous self-test routine completed
					without error or no self-test has ever 
					been run."""
WENT_WRONG = """The previous self-test completed having
					the read element of the test failed."""
SPANS = """SMART Selective self-test log data structure revision number 1
 SPAN  MIN_LBA  MAX_LBA  CURRENT_TEST_STATUS
    1        0        0  Not_testing
    2        0        0  Not_testing
    3        0        0  Not_testing
    4        0        0  Not_testing
    5        0        0  Not_testing
Selective self-test flags (0x0):
  After scanning selected spans, do NOT read-scan remainder of disk.
If Selective self-test is pending on power-up, resume after 0 minute delay.

"""


def text(disk: Smart, parts: str = "iHcAlS") -> str:
    """The parts that are asked for by letter: `l` the log of errors, `S` those of tests."""
    if disk.disk.kind == "nvme":
        return BANNER + "".join(f"{x}\n" for x in _nvme(disk))
    told = [BANNER]
    if "i" in parts:
        told += ["=== START OF INFORMATION SECTION ===\n", *(f"{x}\n" for x in _about(disk)), "\n"]
    if set(parts) - {"i"}:
        told.append("=== START OF READ SMART DATA SECTION ===\n")
    if "H" in parts:
        told.append(_health(disk, "A" in parts))
    if "c" in parts:
        status = disk.test_status
        told.append(ABLE.format(status=status, said=WENT_WRONG if status else WENT_WELL))
    if "A" in parts:
        told.append("SMART Attributes Data Structure revision number: 16\n")
        told.append(f"Vendor Specific SMART Attributes with Thresholds:\n{COLUMNS}\n")
        told += [*map(_row, disk.attributes), "\n"]
    if "l" in parts:
        told.append("SMART Error Log Version: 1\nNo Errors Logged\n\n")
    if "S" in parts:
        told += [*_tests(disk), "\n", SPANS]
    return "".join(told)


def started(disk: Smart, kind: str) -> str:
    """What is said once a disk tests itself; it goes on by itself."""
    name = f'"Execute SMART {TESTS[kind][1].split()[0]} self-test routine immediately in off-line mode"'
    return (
        f"{BANNER}=== START OF OFFLINE IMMEDIATE AND SELF-TEST SECTION ===\n"
        f"Sending command: {name}.\nDrive command {name} successful.\nTesting has begun.\n"
        f"Please wait {POLLING[kind]} minutes for test to complete.\n"
        f"Test will complete after {clock(disk.moment + 60 * POLLING[kind])}\n"
        "Use smartctl -X to abort test.\n"
    )


def _row(row: Attribute) -> str:
    kind = "Pre-fail" if row.flags & 1 else "Old_age"
    update = "Always" if row.flags & 2 else "Offline"
    failed = "FAILING_NOW" if row.failing else "    -"
    values = f"{row.value:03}   {row.value:03}   {row.thresh:03}"
    return (
        f"{row.id:3} {row.name:23} 0x{row.flags:04x}   {values}    {kind:8}  {update:7}"
        f"  {failed:11} {row.raw}\n"
    )


def _about(disk: Smart) -> Iterator[str]:
    logical, physical = disk.sectors
    size = disk.disk.capacity_bytes
    yield f"Device Model:     {disk.model}"
    yield f"Serial Number:    {disk.disk.serial}"
    yield f"Firmware Version: {FIRMWARE}"
    yield f"User Capacity:    {size:,} bytes [{sized(size)}]"
    if logical == physical:
        yield f"Sector Size:      {logical} bytes logical/physical"
    else:
        yield f"Sector Sizes:     {logical} bytes logical, {physical} bytes physical"
    yield f"Rotation Rate:    {'Solid State Device' if disk.flash else '7200 rpm'}"
    yield f"Form Factor:      {FORMS[disk.disk.form][1]}"
    if disk.flash:
        yield "TRIM Command:     Available"
    yield f"Device is:        Not in smartctl database {DATABASE}"
    yield "ATA Version is:   ACS-3 (minor revision not indicated)"
    yield "SATA Version is:  SATA 3.2, 6.0 Gb/s (current: 6.0 Gb/s)"
    yield f"Local Time is:    {clock(disk.moment)}"
    yield "SMART support is: Available - device has SMART capability."
    yield "SMART support is: Enabled"


def _health(disk: Smart, listed: bool) -> str:
    if disk.passes:
        return "SMART overall-health self-assessment test result: PASSED\n\n"
    rows = "".join(_row(a) for a in disk.attributes if a.failing)
    more = "See vendor-specific Attribute list for failed Attributes.\n\n"
    return (
        "SMART overall-health self-assessment test result: FAILED!\n"
        "Drive failure expected in less than 24 hours. SAVE ALL DATA.\n"
        f"{more if listed else f'Failed Attributes:{chr(10)}{COLUMNS}{chr(10)}{rows}{chr(10)}'}"
    )


def _tests(disk: Smart) -> Iterator[str]:
    yield "SMART Self-test log structure revision number 1\n"
    if not disk.tests:
        yield "No self-tests have been logged.  [To run self-tests, use: smartctl -t]\n"
        return
    yield "Num  Test_Description    Status                  Remaining  LifeTime(hours)  LBA_of_first_error\n"
    for number, test in enumerate(disk.logged, 1):
        how = "Completed: read failure" if test.failed else "Completed without error"
        left, where = (9, str(disk.bad_sector)) if test.failed else (0, "-")
        yield f"#{number:2}  {TESTS[test.kind][1]:19} {how:29} {left}0%  {test.hours:8}         {where}\n"
    every, latest = disk.failed_tests
    if every > latest:
        yield (
            f"{every - latest} of {every} failed self-tests are outdated by newer successful"
            f" extended offline self-test #{disk.well:2}\n"
        )


def _nvme(disk: Smart) -> Iterator[str]:
    log = disk.health_log
    size, units = disk.disk.capacity_bytes, log["data_units_written"]
    yield "=== START OF INFORMATION SECTION ==="
    yield f"Model Number:                       {disk.model}"
    yield f"Serial Number:                      {disk.disk.serial}"
    yield f"Firmware Version:                   {FIRMWARE}"
    yield "NVMe Version:                       1.4"
    yield "Number of Namespaces:               1"
    yield f"Namespace 1 Size/Capacity:          {size:,} [{sized(size)}]"
    yield f"Namespace 1 Formatted LBA Size:     {disk.sectors[0]}"
    yield f"Local Time is:                      {clock(disk.moment)}"
    yield ""
    yield "=== START OF SMART DATA SECTION ==="
    yield "SMART overall-health self-assessment test result: PASSED"
    yield ""
    yield "SMART/Health Information (NVMe Log 0x02)"
    yield f"Critical Warning:                   0x{log['critical_warning']:02x}"
    yield f"Temperature:                        {log['temperature']} Celsius"
    yield f"Available Spare:                    {log['available_spare']}%"
    yield f"Available Spare Threshold:          {log['available_spare_threshold']}%"
    yield f"Percentage Used:                    {log['percentage_used']}%"
    yield f"Data Units Written:                 {units:,} [{sized(units * DATA_UNIT)}]"
    yield f"Power On Hours:                     {log['power_on_hours']:,}"
    yield f"Media and Data Integrity Errors:    {log['media_errors']:,}"
    yield ""
