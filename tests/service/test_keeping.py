"""Scripts renamed, copied, taken away and brought back; what depends on them is said."""

import pytest

from skelb.core.errors import ConflictError, NotFoundError, SettingsError
from skelb.service.application import Application
from tests.service.conftest import SCRIPT, SETUP, order, tried, wait_for


def test_a_save_on_top_of_a_version_that_was_not_seen_is_refused(application):
    library = application.library
    assert library.save_script(SCRIPT, after=0).newest.number == 1
    library.save_script(SCRIPT + "# one window\n", after=1)
    with pytest.raises(ConflictError, match="has a version 2 that was saved elsewhere"):
        library.save_script(SCRIPT + "# another window\n", after=1)
    with pytest.raises(ConflictError, match="on the shelf already"):
        library.save_script(SCRIPT + "# a new script\n", after=0)
    assert library.save_script(SCRIPT + "# one window\n", after=1).newest.number == 2  # the same text: nothing to lose
    assert library.save_script(SCRIPT + "# another window\n", after=2).newest.number == 3


def test_a_script_is_renamed_in_its_text_too_and_its_versions_stay(application):
    application.library.save_script(SCRIPT)
    found = application.keeping.rename_script("Sway", 'The "other" sway')
    assert found.title == 'The "other" sway' and [version.number for version in found.versions] == [1, 2]
    assert found.newest.text == SCRIPT.replace('"Sway"', r'"The \"other\" sway"') and found.versions[0].text == SCRIPT
    with pytest.raises(NotFoundError):
        application.library.script("Sway")
    application.library.save_script(SCRIPT)
    with pytest.raises(ConflictError, match="already"):
        application.keeping.rename_script('The "other" sway', "Sway")
    with pytest.raises(SettingsError, match="title"):
        application.keeping.rename_script("Sway", "  ")


def test_a_copy_is_a_script_of_its_own(application):
    application.library.save_script(SCRIPT)
    application.library.save_script(SCRIPT + "# more\n")
    copies = [application.keeping.duplicate_script("Sway", number) for number in (1, None)]
    assert [copy.title for copy in copies] == ["Sway copy", "Sway copy 2"]
    assert copies[0].newest.text == SCRIPT.replace("Sway", "Sway copy")
    assert copies[1].newest.text.endswith("# more\n")


def test_what_depends_on_a_thing_is_said_before_it_goes(application):
    library = application.library
    library.save_script(SCRIPT)
    library.save_script('title "User"\nuse "Sway" as sway\nx = close from "WAVE"\ndraw x\n')
    application.runs.keep(SETUP)
    number = application.trials.start(order(vary=["n=3,4"]))
    wait_for(lambda: application.trials.store.trial(number).state == "done")
    assert application.keeping.depends("script", "Sway") == [
        "User uses it, and would not find it",
        "1 trial of it can still be read, but not gone on with",
        "1 kept run of it can still be read",
    ]
    assert application.keeping.depends("market", "WAVE")[0] == "User names it"
    assert application.keeping.depends("script", "User") == []
    assert "tries" in application.keeping.depends("trial", str(number))[0]


def test_what_was_taken_away_comes_back_as_it_was_and_its_name_is_free_meanwhile(application):
    library, keeping = application.library, application.keeping
    library.save_script(SCRIPT, status="trusted")
    run = application.runs.keep(SETUP)
    number = application.trials.start(order(vary=["n=3,4"]))
    wait_for(lambda: application.trials.store.trial(number).state == "done")
    before = library.script("Sway"), library.market("WAVE")
    things = {"script": "Sway", "market": "WAVE", "run": str(run.number), "trial": str(number)}
    for kind, name in things.items():
        keeping.remove(kind, name)
        with pytest.raises(NotFoundError, match="there is no"):
            keeping.remove(kind, name)
    assert library.scripts() == [] and library.markets() == [] and application.runs.newest() == []
    assert application.trials.store.newest() == []
    for gone in (
        lambda: application.runs.run(run.number),
        lambda: application.trials.store.trial(number),
        lambda: library.market("WAVE"),
    ):
        with pytest.raises(NotFoundError):
            gone()
    for kind, name in things.items():
        keeping.bring_back(kind, name)
    assert (library.script("Sway"), library.market("WAVE")) == before
    assert tried(application) == 2  # what was tried stays tried
    assert application.runs.run(run.number).figures and application.trials.store.trial(number).done == 2

    keeping.remove("script", "Sway")
    library.save_script(SCRIPT)
    with pytest.raises(ConflictError, match="already"):
        keeping.bring_back("script", "Sway")
    with pytest.raises(NotFoundError, match="taken away"):
        keeping.bring_back("script", "Never")


def test_demo_scripts_that_were_taken_away_stay_away(tmp_path):
    application = Application(tmp_path)
    application.install_demo()
    application.keeping.remove("script", "Barometer")
    application.keeping.remove("market", "GLIM")
    assert application.install_demo() is False
    assert "GLIM" not in {market.symbol for market in application.library.markets()}
    application.close()
