"""What is in deploy/ is text; it must be sound, and name only what there is."""

import configparser
import contextlib
import re
from pathlib import Path

import yaml

from dusk_lamp.cli.main import main
from dusk_lamp.core.plain import described
from dusk_lamp.settings import Settings, settings_from

DEPLOY = Path(__file__).parent.parent / "deploy"


def commands_there_are(capsys):
    with contextlib.suppress(SystemExit):
        main(["--help"])
    return capsys.readouterr().out


def test_units_start_what_there_is(capsys):
    known = commands_there_are(capsys)
    for path in DEPLOY.glob("*.service"):
        unit = configparser.RawConfigParser(strict=False)
        unit.optionxform = str
        unit.read(path)
        assert {"Unit", "Service", "Install"} == set(unit.sections()), path
        words = unit["Service"]["ExecStart"].split()
        assert words[0].endswith("/dusk-lamp") and re.search(rf"^    {words[1]} ", known, re.M), words
        with contextlib.suppress(SystemExit):
            main([words[1], "--help"])
        options = capsys.readouterr().out
        assert all(w in options for w in words if w.startswith("--")), words
        assert unit["Service"]["User"] != "root" and unit["Service"]["Restart"] == "always"


def test_the_example_environment_holds_settings_that_there_are():
    lines = (DEPLOY / "environment.example").read_text().splitlines()
    given = dict(line.split("=", 1) for line in lines if line and not line.startswith("#"))
    names = {name.removeprefix("DUSK_LAMP_").lower() for name in given}
    assert names <= set(described(Settings)), names
    assert settings_from(given).accounts == 1


def test_the_compose_file_is_sound_and_its_proxy_knows_its_pages():
    services = yaml.safe_load((DEPLOY / "compose.yaml").read_text())["services"]
    assert {"database", "broker", "pages-1", "pages-2", "worker", "proxy"} == set(services)
    assert services["pages-2"]["command"][0] == "pages" and services["worker"]["command"][0] == "worker"
    for name in ("nginx.conf", "Caddyfile"):
        text = (DEPLOY / name).read_text()
        assert text.count("{") == text.count("}"), name
        assert {"pages-1:5151", "pages-2:5151"} <= set(re.findall(r"pages-\d:\d+", text)), name
        assert "metrics" in text
