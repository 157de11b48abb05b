"""What is taken for granted of machines, power and money."""

from kavrel.core.assumption import COMMON, MEMORY, Assumption

ASSUMPTIONS = (
    Assumption(
        "system_bytes",
        "What a system takes of a data disk that its box boots from, where the plan does not say it",
        32e9,
        "bytes",
        0,
        1e13,
        f"a bare one needs about 8 GB, {COMMON}; with its updates and swap, {MEMORY}",
        "bench",
    ),
    Assumption("hdd_watts", "A hard disk at work", 8, "W", 0.5, 60, MEMORY, "bench"),
    Assumption("hdd_idle_watts", "A hard disk that spins idle", 5, "W", 0.1, 60, MEMORY, "bench"),
    Assumption("ssd_watts", "An SSD at work", 3, "W", 0.1, 60, MEMORY, "bench"),
    Assumption("ssd_idle_watts", "An idle SSD", 1, "W", 0.05, 60, MEMORY, "bench"),
    Assumption("nvme_watts", "An NVMe disk at work", 6, "W", 0.1, 60, MEMORY, "bench"),
    Assumption("nvme_idle_watts", "An idle NVMe disk", 1.5, "W", 0.05, 60, MEMORY, "bench"),
    Assumption(
        "busy_share", "Share of the time that disks work", 0.2, "of the time", 0, 1, COMMON, "bench"
    ),
    Assumption("tower_watts", "A tower without its disks", 35, "W", 1, 2000, MEMORY, "bench"),
    Assumption(
        "small_box_watts", "A small bay box without its disks", 15, "W", 1, 2000, MEMORY, "bench"
    ),
    Assumption(
        "old_desktop_watts",
        "A retired desktop without its disks",
        50,
        "W",
        1,
        2000,
        MEMORY,
        "bench",
    ),
    Assumption("laptop_watts", "A laptop", 15, "W", 1, 2000, MEMORY, "bench"),
    Assumption("single_board_watts", "A single-board computer", 5, "W", 0.5, 2000, MEMORY, "bench"),
    Assumption(
        "hypervisor_watts", "A hypervisor host without its disks", 60, "W", 1, 2000, MEMORY, "bench"
    ),
    Assumption("pc_watts", "A PC or laptop in use", 60, "W", 1, 2000, MEMORY, "bench"),
    Assumption(
        "bought_box_watts", "A bought box without its disks", 15, "W", 1, 2000, MEMORY, "bench"
    ),
    Assumption("router_watts", "A router", 10, "W", 0.5, 2000, MEMORY, "bench"),
    Assumption(
        "energy_price",
        "Price of a kWh in the plan's currency",
        0.3,
        "a kWh",
        0,
        1000,
        COMMON,
        "bench",
    ),
    Assumption(
        "spin_up_factor",
        "Load while a host shuts down, against its load at work",
        1.2,
        "times",
        1,
        3,
        COMMON,
        "bench",
    ),
    Assumption(
        "inverter_efficiency",
        "Share of a battery's energy that reaches the plugs of a UPS",
        0.85,
        "of it",
        0.3,
        1,
        MEMORY,
        "bench",
    ),
    Assumption(
        "power_factor",
        "Watts to volt-amperes of the hosts' power supplies",
        0.9,
        "W a VA",
        0.3,
        1,
        MEMORY,
        "bench",
    ),
    Assumption(
        "battery_keep_share",
        "Share of the battery not to be planned with",
        0.2,
        "of the runtime",
        0,
        0.9,
        COMMON,
        "bench",
    ),
)
