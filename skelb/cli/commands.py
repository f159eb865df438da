"""The commands: where each stands, and what it does."""

# A command's module is loaded when it is called: what only looks at a script answers without loading what runs one.
COMMANDS: dict[str, tuple[str, str]] = {
    "check": ("skelb.cli.texts", "Say what is wrong with a script; exit code 1 when it has errors."),
    "readback": ("skelb.cli.texts", "Say a strategy in plain sentences, every default included."),
    "format": ("skelb.cli.texts", "Bring a script into the usual layout; only white space changes."),
    "mirror": ("skelb.cli.texts", "Write the other side's rules that mirror a side's."),
    "inline": ("skelb.cli.texts", "Write out the scripts that a script uses, so that it stands alone."),
    "rename": ("skelb.cli.texts", "Give a name of the script another name, everywhere."),
    "extract": ("skelb.cli.texts", "Make the number at a place an input with a range."),
    "brief": ("skelb.cli.texts", "Print one text to paste to any assistant."),
    "lsp": ("skelb.cli.lsp", "Serve the Language Server Protocol on standard input and output."),
    "series": ("skelb.cli.runs", "Print the values of every name in a script, bar by bar."),
    "backtest": ("skelb.cli.runs", "Test a strategy bar by bar."),
    "explain": ("skelb.cli.runs", "Take one bar of a test apart: every rule, what filled, what was held back and why."),
    "sweep": ("skelb.cli.trials", "Run every combination of some inputs' values, or some of them."),
    "walk": ("skelb.cli.trials", "Choose inputs anew on every window, and test them on the days after it."),
    "search": ("skelb.cli.trials", "Try every small combination of conditions as the entry of a script."),
    "study": ("skelb.cli.trials", "Count the conditions of a script, and what price did after them."),
    "calendar": ("skelb.cli.trials", "A condition on every weekday, month and hour."),
    "stress": ("skelb.cli.distrust", "Make a test worse on purpose."),
    "resample": ("skelb.cli.distrust", "Draw a test's trades anew: what of the result was luck of the draw."),
    "challenge": ("skelb.cli.distrust", "Begin a funded account's test on every day."),
    "account": ("skelb.cli.accounts", "List, show, save and delete the accounts of the data folder."),
    "import": ("skelb.cli.storing", "Store bars from a file, in one transaction."),
    "demo": ("skelb.cli.storing", "Store the made-up demo world in the data folder."),
    "warm": ("skelb.cli.storing", "Compile what is compiled once, so that the first run does not wait for it."),
    "doctor": (
        "skelb.doctor",
        "Tell versions, the data folder, compiled code and the port, for reports of trouble.",
    ),
    "serve": ("skelb.serving", "Open the application in the browser's reach and print its address."),
}
