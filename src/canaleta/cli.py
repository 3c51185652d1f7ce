"""The command line: start, agent, serve, check, dev, demo, audit, convert, export, import, check-plan, records, dossier, verify, generate,
prove, check-code, backup, restore, forget, user. Processes of `start` have hidden commands."""

from __future__ import annotations

import argparse
import asyncio
import logging
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from canaleta import __version__
from canaleta.host.steps import TroubleError

if TYPE_CHECKING:
    from canaleta.host.proving import Asked

__all__ = ["main"]


def main(argv: list[str] | None = None) -> int:
    """Run a command. Returns its exit status: 0 well, 1 trouble, 2 not understood."""
    words = sys.argv[1:] if argv is None else argv
    parser = _parser(converts="convert" in words[:1])
    if "convert" in words[:1]:
        from canaleta.convert import joined_spans

        words = joined_spans(words)
    options, values = parser.parse_known_args(words)
    unknown = [v for v in values if v.startswith("--") and v != "--"]
    if unknown or (values and not getattr(options, "takes_values", False)):
        parser.error(f"not understood: {' '.join(unknown or values)}")
    options.values = values
    try:
        return int(options.run(options))
    except BrokenPipeError:
        # Whoever read the answers has had enough ("… | head"): what is still buffered goes nowhere, quietly.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 1
    except TroubleError as trouble:
        print(f"canaleta: {trouble}", file=sys.stderr)
        if trouble.remedy:
            print(f"  what to do: {trouble.remedy}", file=sys.stderr)
        return 1


def _parser(*, converts: bool) -> argparse.ArgumentParser:
    """converts: with what `convert` takes, which loads the numbers; nobody else waits for them."""
    parser = argparse.ArgumentParser("canaleta", description="Configure, scale, read and prove PLC channels.")
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(metavar="COMMAND", required=True)

    start = commands.add_parser("start", help="set everything up and run it")
    start.add_argument("--host", default="127.0.0.1", help="address to listen on (default: this machine only)")
    start.add_argument("--port", type=int, default=8412, help="port to listen on (default 8412)")
    start.add_argument("--tls-cert", type=Path, metavar="FILE", help="certificate with its chain, PEM: https")
    start.add_argument("--tls-key", type=Path, metavar="FILE", help="its key, PEM")
    start.add_argument("--no-demo", action="store_true", help="leave an empty database empty")
    _takes_data(start)
    start.set_defaults(run=_start)

    agent = commands.add_parser("agent", help="scan racks of a plant whose database is on another machine")
    agent.set_defaults(run=_scan)

    serves = commands.add_parser("serve", help="serve the plant to other systems: OPC UA, Modbus TCP, MQTT")
    _takes_doors(serves)
    _takes_data(serves)
    serves.set_defaults(run=_serve_kept)

    check = commands.add_parser("check", help="run every check")
    check.add_argument(
        "part", nargs="?", default="all", help="one part: static, core, database, fuzz, browser, clone"
    )
    check.add_argument("--long", action="store_true", help="the long checks too")
    check.set_defaults(run=_check)

    dev = commands.add_parser("dev", help="run with reloading, for work on the program itself")
    dev.add_argument("--port", type=int, default=8413)
    _takes_data(dev)
    dev.set_defaults(run=_dev)

    demo = commands.add_parser("demo", help="load a generated plant into an empty database")
    demo.add_argument("--points", type=int, default=0, help="how many points (default: the demo plant)")
    _takes_data(demo)
    demo.set_defaults(run=_demo)

    for name, says in (
        ("backup", "write everything to a file"),
        ("restore", "bring back a file; the old stays beside it"),
    ):
        command = commands.add_parser(name, help=says)
        command.add_argument("file", type=Path, metavar="FILE")
        _takes_data(command)
        command.set_defaults(run=_backup if name == "backup" else _restore)

    forgets = commands.add_parser("forget", help="drop whole months of the alarm journal")
    forgets.add_argument("--before", required=True, metavar="YYYY-MM", help="this month and later ones stay")
    _takes_data(forgets)
    forgets.set_defaults(run=_forget)

    export = commands.add_parser("export", help="write the plant as a project file")
    export.add_argument("file", type=Path, metavar="FILE", nargs="?")
    export.add_argument("--schema", action="store_true", help="print the JSON schema of the file instead")
    _takes_data(export)
    export.set_defaults(run=_export)

    bring = commands.add_parser(
        "import", help="read a project file into an empty place, or a list; 2: something was left out"
    )
    bring.add_argument("file", type=Path, metavar="FILE", help="a project file; a list as CSV, XLSX, ODS or XLS")
    bring.add_argument("--dry-run", action="store_true", help="only say what it would do")
    bring.add_argument("--map", type=Path, metavar="FILE", help="read a list as this mapping says")
    bring.add_argument(
        "--answers", type=Path, metavar="FILE", help="answers to what a list asks, as JSON: {question: reading}"
    )
    bring.add_argument("--write-map", type=Path, metavar="FILE", help="keep how a list was read")
    bring.add_argument(
        "--renamed", choices=("asked", "joined", "new"), default="asked", help="points that look renamed"
    )
    bring.add_argument("--json", action="store_true", help="what a list was read as, row by row, as JSON")
    bring.add_argument("--as", dest="who", default="command line", help="whose change it is, in the history")
    _takes_data(bring)
    bring.set_defaults(run=_import)

    audit = commands.add_parser("audit", help="what is wrong in a project file or in the plant; 3: to settle, 4: bad")
    audit.add_argument("file", type=Path, metavar="FILE", nargs="?", help="a project file, - for standard input")
    audit.add_argument("--json", action="store_true", help="as JSON")
    audit.add_argument("--sarif", action="store_true", help="as SARIF 2.1.0, for other tools")
    audit.add_argument("--rules", action="store_true", help="say what the rules are instead")
    _takes_data(audit)
    audit.set_defaults(run=_audit)

    _add_proving(commands)
    _add_programs(commands)

    convert = commands.add_parser("convert", help="sensor physics and whole paths: thermocouple, rtd, counts, path")
    if converts:
        from canaleta.convert import add_commands

        add_commands(convert)

    user = commands.add_parser("user", help="accounts: list, add, link, password, shut, open")
    user.add_argument("what", choices=("list", "add", "link", "password", "shut", "open"))
    user.add_argument("name", nargs="?", default="")
    user.add_argument("--role", default="reader", help="reader, technician, engineer or administrator")
    _takes_data(user)
    user.set_defaults(run=_user)

    stand_in = commands.add_parser("_stand-in")
    stand_in.add_argument("--racks", nargs="*", default=[], metavar="NUMBER=PORT")
    stand_in.add_argument("--state", type=Path, default=None, metavar="FILE")
    stand_in.add_argument("--seed", type=int, default=0)
    stand_in.set_defaults(run=_stand_in)
    commands.add_parser("_agent").set_defaults(run=_agent)
    inner = commands.add_parser("_serve")
    _takes_doors(inner)
    inner.set_defaults(run=_serve)
    return parser


def _takes_doors(parser: argparse.ArgumentParser) -> None:
    """What is opened by `serve`."""
    parser.add_argument("--opcua", default="", metavar="HOST:PORT", help="an OPC UA server, as 0.0.0.0:4840")
    parser.add_argument("--modbus", default="", metavar="HOST:PORT", help="a Modbus TCP server, as 0.0.0.0:5020")
    parser.add_argument("--mqtt", default="", metavar="URL", help="a broker, as mqtts://user@host:8883")
    parser.add_argument("--topics", default="", metavar="PREFIX", help="publish plain JSON below this topic")
    parser.add_argument("--sparkplug", default="", metavar="GROUP/NODE", help="publish as this node of Sparkplug B")
    parser.add_argument("--open", action="store_true", help="anybody may read by OPC UA, without protection as well")
    parser.add_argument(
        "--name", default="plant", help="whoever serves under the same name waits for this one to end"
    )


def _add_proving(commands: Any) -> None:
    """What proves a plant: check-plan, records, dossier, verify."""
    plan = commands.add_parser("check-plan", help="what tests put on and must read; 3: a point cannot be tested yet")
    plan.add_argument("tags", nargs="*", metavar="TAG", help="these points; all where nothing is said")
    plan.add_argument("--test", choices=("loop", "device", "channel"), default="loop", help="what is tested")
    listed = commands.add_parser("records", help="signed records, oldest first")
    listed.add_argument("tags", nargs="*", metavar="TAG", help="of these points")
    listed.add_argument(
        "--kind", default="", help="loop check, device check, channel check, trim, script, acceptance …"
    )
    listed.add_argument("--who", default="", help="an account, or the name that was signed with")
    listed.add_argument("--passes", choices=("yes", "no"), default="", help="only what passed, or failed")
    listed.add_argument("--since", default="", metavar="DAY", help="from a day on, as 2027-03-31")
    listed.add_argument("--until", default="", metavar="DAY", help="to a day, that day as well")
    for command in (plan, listed):
        for by in ("area", "cabinet", "system", "package"):
            command.add_argument(f"--{by}", default="", metavar="NAME", help=f"of one {by}")
        form = command.add_mutually_exclusive_group()
        form.add_argument("--json", dest="form", action="store_const", const="json", default="", help="as JSON")
        form.add_argument("--csv", dest="form", action="store_const", const="csv", help="as CSV")
        _takes_data(command)
    plan.set_defaults(run=_check_plan)
    listed.set_defaults(run=_records)

    hand_over = commands.add_parser("dossier", help="what is handed over: FILE.pdf, FILE.zip or a folder, signed")
    hand_over.add_argument("file", type=Path, metavar="FILE")
    hand_over.add_argument("--system", default="", metavar="NAME", help="of one system (default: the whole plant)")
    hand_over.add_argument("--name", required=True, help="the name of whoever hands it over")
    _takes_data(hand_over)
    hand_over.set_defaults(run=_dossier)

    proves = commands.add_parser("verify", help="whether a dossier is what was signed; 4: it is not")
    proves.add_argument("file", type=Path, metavar="FILE", help="a dossier: PDF, ZIP or folder")
    proves.add_argument(
        "--data", type=Path, default=None, metavar="DIR", help="hold it against the plant there as well"
    )
    proves.add_argument("--json", dest="form", action="store_const", const="json", default="", help="as JSON")
    proves.set_defaults(run=_verify)


def _add_programs(commands: Any) -> None:
    """Code for the controller: generate, prove, check-code."""
    make = commands.add_parser("generate", help="code for the controller, into a folder; 3: a point has none")
    make.add_argument("folder", type=Path, metavar="FOLDER")
    make.add_argument(
        "--language", action="append", choices=("st", "xml", "fbd", "ld", "c", "csv"), default=[],
        help="structured text; PLCopen XML of it, of function block diagrams, of ladders; C99; parameters; all if none is said",
    )  # fmt: skip
    compare = commands.add_parser(
        "compare", help="what the racks run beside list and issue; 3: something is apart, 5: not compared"
    )
    compare.add_argument("--cabinet", default="", metavar="NAME", help="of one cabinet")
    compare.add_argument("--json", action="store_true", help="as JSON")
    _takes_data(compare)
    compare.set_defaults(run=_compare)
    proves = commands.add_parser("prove", help="run that code over every count against the list; 4: it is not right")
    proves.add_argument("--from", dest="folder", type=Path, metavar="FOLDER", help="the texts that lie there")
    proves.add_argument("--sheet", type=Path, metavar="FILE", help="write the proof as PDF, sealed")
    proves.add_argument("--name", default="", help="the name of whoever proves it, on the sheet")
    for command in (make, proves):
        command.add_argument("--of", action="append", default=[], metavar="NAME", help="of a cabinet or an area")
    holds = commands.add_parser("check-code", help="hold a project against the list; 4: something is to be settled")
    holds.add_argument("files", type=Path, nargs="+", metavar="FILE", help="structured text, or PLCopen XML as .xml")
    for command in (proves, holds):
        command.add_argument("--json", action="store_true", help="as JSON")
    for command, run in ((make, _generate), (proves, _prove), (holds, _check_code)):
        _takes_data(command)
        command.set_defaults(run=run)


def _takes_data(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--data", type=Path, default=None, metavar="DIR", help="the plant's data folder")


def _data(options: argparse.Namespace) -> Path:
    from canaleta.host.folder import default_data

    return Path(options.data or default_data()).absolute()


def _start(options: argparse.Namespace) -> int:
    from canaleta.host.growing import Nursery

    # First of all: it loads the program while everything else is made ready.
    nursery = Nursery()
    from canaleta.host.door import Tls
    from canaleta.host.start import Options, start

    url = os.environ.get("CANALETA_DATABASE_URL", "")
    if bool(options.tls_cert) != bool(options.tls_key):
        raise TroubleError("a certificate and its key go together", "give both --tls-cert FILE and --tls-key FILE")
    tls = Tls(options.tls_cert.absolute(), options.tls_key.absolute()) if options.tls_cert else None
    return start(Options(options.host, options.port, _data(options), not options.no_demo, url, tls), nursery)


def _scan(options: argparse.Namespace) -> int:
    from canaleta.host.scanning import scan

    return scan(os.environ.get("CANALETA_DATABASE_URL", ""))


def _check(options: argparse.Namespace) -> int:
    from canaleta.host.check import check

    return check(options.part, long=options.long)


def _dev(options: argparse.Namespace) -> int:
    from canaleta.host.dev import dev

    return dev(options.port, _data(options))


def _demo(options: argparse.Namespace) -> int:
    from canaleta.host.upkeep import load_demo

    return load_demo(_data(options), options.points)


def _backup(options: argparse.Namespace) -> int:
    from canaleta.host.safekeeping import backup

    return backup(_data(options), options.file)


def _restore(options: argparse.Namespace) -> int:
    from canaleta.host.safekeeping import restore

    return restore(_data(options), options.file)


def _forget(options: argparse.Namespace) -> int:
    from canaleta.host.upkeep import forget

    return forget(_data(options), options.before)


def _export(options: argparse.Namespace) -> int:
    from canaleta.host.upkeep import export_project

    if not options.schema and options.file is None:
        raise TroubleError("export takes a file", "./canaleta export FILE, or --schema")
    return export_project(_data(options), None if options.schema else options.file)


def _import(options: argparse.Namespace) -> int:
    from canaleta.host.lists import Asked as AskedOfList
    from canaleta.host.upkeep import import_file

    asked = AskedOfList(
        dry=options.dry_run,
        mapping=options.map,
        answers=options.answers,
        write_map=options.write_map,
        as_json=options.json,
        renamed=options.renamed,
    )
    return import_file(_data(options), options.file, options.who, asked)


def _audit(options: argparse.Namespace) -> int:
    from canaleta.host.auditing import audit_file, print_rules

    if options.rules:
        return print_rules(options.json)
    return audit_file(_data(options), options.file, "sarif" if options.sarif else "json" if options.json else "text")


def _asked(options: argparse.Namespace) -> Asked:
    from canaleta.host.proving import Asked

    return Asked(tuple(options.tags), options.area, options.cabinet, options.system, options.package)


def _check_plan(options: argparse.Namespace) -> int:
    from canaleta.host.proving import check_plan

    return check_plan(_data(options), _asked(options), options.test, options.form)


def _records(options: argparse.Namespace) -> int:
    from canaleta.host.proving import records

    wanted = {name: getattr(options, name) for name in ("kind", "who", "passes", "since", "until")}
    return records(_data(options), _asked(options), wanted, options.form)


def _dossier(options: argparse.Namespace) -> int:
    from canaleta.host.proving import dossier

    return dossier(_data(options), options.file, options.system, options.name)


def _verify(options: argparse.Namespace) -> int:
    from canaleta.host.proving import verify

    return verify(options.data and Path(options.data).absolute(), options.file, options.form)


def _generate(options: argparse.Namespace) -> int:
    from canaleta.host.programs import generate_code

    languages = tuple(options.language) or ("st", "xml", "fbd", "ld", "c", "csv")
    return generate_code(_data(options), options.folder, options.of, languages)


def _compare(options: argparse.Namespace) -> int:
    from canaleta.host.comparing import compare_racks

    return compare_racks(_data(options), options.cabinet, options.json)


def _prove(options: argparse.Namespace) -> int:
    from canaleta.host.programs import prove_code

    return prove_code(_data(options), options.of, options.sheet, options.name, options.json, options.folder)


def _check_code(options: argparse.Namespace) -> int:
    from canaleta.host.programs import check_code

    return check_code(_data(options), options.files, options.json)


def _user(options: argparse.Namespace) -> int:
    from canaleta.host.upkeep import user

    return user(_data(options), options.what, options.name, options.role)


def _stand_in(options: argparse.Namespace) -> int:
    from canaleta.catalogue.demo import demo_plant
    from canaleta.standins.server import StandIns, stored_plant
    from canaleta.standins.source_port import serve

    _log_to_supervisor()
    port, token = int(os.environ["CANALETA_SOURCE_PORT"]), os.environ["CANALETA_SOURCE_TOKEN"]
    ports = {int(rack): int(at) for rack, _, at in (pair.partition("=") for pair in options.racks)}
    plant = stored_plant(options.state, demo_plant())
    asyncio.run(serve(StandIns(plant, ports, options.seed, options.state), port, token))
    return 0


def _agent(options: argparse.Namespace) -> int:
    from canaleta.plant.database.connection import engine_for
    from canaleta.racks.agent import run
    from canaleta.racks.source import SignalSource

    _log_to_supervisor()
    port = os.environ.get("CANALETA_SOURCE_PORT")
    source = SignalSource(int(port), os.environ["CANALETA_SOURCE_TOKEN"]) if port else None
    asyncio.run(run(engine_for(os.environ["CANALETA_RUNTIME_URL"], pre_ping=False, unconfirmed=True), source))
    return 0


def _serve_kept(options: argparse.Namespace) -> int:
    from canaleta.host.scanning import serve
    from canaleta.serving.doors import DoorError, read_doors

    try:
        read_doors(options)
    except DoorError as error:
        raise TroubleError(str(error), error.remedy) from error
    argv = [f"--{name}={getattr(options, name)}" for name in _DOORS if name != "mqtt"] + ["--open"] * options.open
    if options.mqtt:
        # It may hold a password, which other people of this machine would see among the arguments of a process.
        os.environ["CANALETA_BROKER"] = options.mqtt
    return serve(os.environ.get("CANALETA_DATABASE_URL", ""), _data(options), argv)


_DOORS = ("opcua", "modbus", "mqtt", "topics", "sparkplug", "name")


def _serve(options: argparse.Namespace) -> int:
    from canaleta.plant.database.connection import engine_for
    from canaleta.serving.doors import read_doors
    from canaleta.serving.serve import run

    _log_to_supervisor()
    options.mqtt = os.environ.get("CANALETA_BROKER", options.mqtt)
    asyncio.run(
        run(engine_for(os.environ["CANALETA_RUNTIME_URL"], pool_size=4, unconfirmed=True), read_doors(options))
    )
    return 0


def _log_to_supervisor() -> None:
    logging.basicConfig(level=logging.INFO, format="%(name)s %(levelname)s %(message)s", stream=sys.stdout)
    logging.getLogger("alembic").setLevel(logging.ERROR)
    # It writes whole frames; what they mean is told by whoever asked for them.
    logging.getLogger("pymodbus.logging").setLevel(logging.CRITICAL + 1)


if __name__ == "__main__":
    sys.exit(main())
