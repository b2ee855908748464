"""The commands of `estompe`, one file each: HELP, arguments(parser) and run(chosen).

They import what they need when they run, so that `--help` and the window start at once.
"""

NAMES = (
    "prepare",
    "sample",
    "import",
    "info",
    "check",
    "collect",
    "overlaps",
    "bake",
    "remember",
    "land",
    "render",
    "movie",
    "sheet",
    "setup",
    "watch",
    "completion",
    "manual",
    "doctor",
)
"""As they are typed; the module of “import” is called `import_shot`."""
MODULES = {name: "import_shot" if name == "import" else name for name in NAMES}
