"""Promises about the structure: who imports whom, purity, documentation, thin endpoints."""

from __future__ import annotations

import ast
import graphlib
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[1]
PACKAGE = ROOT / "src" / "glowdial"
# a room imports only from itself and the rooms named with it
ROOMS = {
    "core": set(),
    "sheets": {"core"},
    "sim": {"core", "sheets"},
    "bench": {"core", "sim", "sheets"},
    "store": {"core", "sheets"},
    "workshop": {"core", "sheets", "sim", "bench", "store"},
    "demo": {"core", "sheets", "sim", "bench", "store", "workshop"},
    "api": {"core", "sheets", "workshop"},
    "cli": {"core", "sheets", "sim", "bench", "store", "workshop", "demo", "api"},
}
CORE_MAY_USE = {"numpy", "scipy", "glowdial", *sys.stdlib_module_names}
CORE_MAY_NOT = {"os", "time", "random", "datetime", "pathlib", "socket", "subprocess"}


def modules(room: str) -> list[Path]:
    return sorted((PACKAGE / room).rglob("*.py"))


def imports(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            found.add(node.module or "")
    return found


# the core's own storeys: each knows only those before it
STOREYS = (
    "language",
    "physics",
    "audio",
    "tuner",
    "model",
    "alignment",
    "tracing",
    "safety",
    "bench",
    "journey",
    "stages",
    "plan",
    "sums",
)
STAGES = sorted(p.name for p in (PACKAGE / "core" / "stages").iterdir() if (p / "room.py").exists())


def module_name(path: Path) -> str:
    """A file by the name that it is imported by."""
    parts = path.relative_to(PACKAGE.parent).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


def import_graph() -> dict[str, set[str]]:
    """Every module with the modules that it imports, those of a function's body too."""
    known = {module_name(path): path for path in PACKAGE.rglob("*.py")}
    graph: dict[str, set[str]] = {}
    for name, path in known.items():
        graph[name] = set()
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.ImportFrom) and node.module:
                full = (f"{node.module}.{alias.name}" for alias in node.names)
                graph[name] |= {f if f in known else node.module for f in full}
        graph[name] = {n for n in graph[name] if n in known and n != name}
    return graph


def folder_of(module: str) -> str:
    """The folder that a module lies in."""
    file = PACKAGE.parent.joinpath(*module.split("."))
    return ".".join(module.split(".") if file.is_dir() else module.split(".")[:-1])


def circle_in(graph: dict[str, set[str]]) -> list[str]:
    try:
        graphlib.TopologicalSorter(graph).prepare()
    except graphlib.CycleError as error:
        return list(error.args[1])
    return []


def test_no_circle_between_files() -> None:
    assert circle_in(import_graph()) == []


def test_no_circle_between_folders() -> None:
    """A folder and those inside it count as different ones; the package's top says its version."""
    folders: dict[str, set[str]] = {}
    for name, wanted in import_graph().items():
        mine = folder_of(name)
        others = {folder_of(w) for w in wanted} - {mine, PACKAGE.name}
        folders.setdefault(mine, set()).update(others)
    assert circle_in(folders) == []


def test_a_circle_would_be_seen() -> None:
    assert circle_in({"a": {"b"}, "b": {"c"}, "c": {"a"}})


def test_each_storey_of_the_core_stands_on_those_below() -> None:
    for name, wanted in import_graph().items():
        parts = name.split(".")
        if parts[1:2] != ["core"] or len(parts) < 3:
            continue
        height = STOREYS.index(parts[2])
        for other in wanted:
            if other.startswith("glowdial.core."):
                assert STOREYS.index(other.split(".")[2]) <= height, f"{name} imports {other}"


@pytest.mark.parametrize("stage", STAGES)
def test_a_stage_knows_no_other(stage: str) -> None:
    for path in modules(f"core/stages/{stage}"):
        for name in imports(path):
            if name.startswith("glowdial.core.stages."):
                assert name.split(".")[3] == stage, f"{path.name} imports {name}"


def test_what_stages_share_names_no_stage() -> None:
    """Below the stages nothing is known of them but that there are some."""
    for storey in STOREYS[: STOREYS.index("stages")]:
        for path in modules(f"core/{storey}"):
            assert not [n for n in imports(path) if "core.stages" in n or "core.plan" in n], path


def test_only_the_record_compares_entries() -> None:
    """Which entry is later, and so which reading is stale, is decided in one place."""
    for stage in STAGES:
        for path in modules(f"core/stages/{stage}"):
            compared = [
                node.lineno
                for node in ast.walk(ast.parse(path.read_text("utf-8")))
                if isinstance(node, ast.Attribute) and node.attr.endswith("seq")
            ]
            assert compared == [], f"{path}: lines {compared}"


def test_the_same_stages_have_the_same_names_everywhere() -> None:
    for folder, extra in (
        ("workshop/stages", {"photos", "registry", "stock"}),
        ("api/stages", {"stock"}),
    ):
        names = {p.stem for p in modules(folder) if p.stem != "__init__"}
        assert names - extra <= set(STAGES), folder
    pages = {p.name for p in (ROOT / "web" / "src" / "stages").iterdir()}
    assert pages - {"shelf"} <= set(STAGES)
    tested = {p.name for p in (ROOT / "tests" / "core" / "stages").iterdir() if p.is_dir()}
    assert tested - {"__pycache__"} <= set(STAGES)


def test_no_word_has_two_meanings() -> None:
    """A public class name stands for one thing in the whole package."""
    seen: dict[str, list[str]] = {}
    for path in PACKAGE.rglob("*.py"):
        for node in ast.parse(path.read_text("utf-8")).body:
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                seen.setdefault(node.name, []).append(module_name(path))
    assert {name: where for name, where in seen.items() if len(where) > 1} == {}


EMPTY_ROOM = '''"""A stage that is only a room yet."""

from __future__ import annotations

from glowdial.core.journey.readings import confirmed
from glowdial.core.journey.room import Leg, Room, Situation
from glowdial.core.journey.steps import Step


def _steps(situation: Situation) -> list[Step]:
    step = Step("stereo.look", "stereo", "Look at the decoder", "It is there.")
    return [confirmed(step, situation.record, "looked", "Looked at.")]


LEG = Leg("stereo", _steps)
ROOM = Room("stereo", (LEG,))
'''
WALK = """
import sys
from glowdial.core.journey.record import JobRecord
from glowdial.core.plan.journey import journey
from glowdial.demo.fill import tidewater_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.workshop.base.sheets import read_sheet
state = journey(receiver_facts(read_sheet(tidewater_sheet())), JobRecord())
assert [s.stage for s in state.stages()][-3:] == ["proof", "stereo", "handover"]
assert state.step("stereo.look").ask.prompt == "Looked at."
from pathlib import Path
from glowdial.workshop.base.workshop import Workshop
from glowdial.store.database import Database
from glowdial.api.app import create_app
create_app(Workshop(Database("sqlite://"), lambda: None))
"""


def test_a_new_stage_is_a_folder_and_two_lines_in_two_files(tmp_path: Path) -> None:
    """The order and the scale's names; the handover's room is the pattern of its imports."""
    source = tmp_path / "src"
    shutil.copytree(PACKAGE, source / "glowdial", ignore=shutil.ignore_patterns("__pycache__"))
    room = source / "glowdial" / "core" / "stages" / "stereo"
    room.mkdir()
    (room / "__init__.py").write_text('"""Stereo."""\n')
    (room / "room.py").write_text(EMPTY_ROOM)
    plan = source / "glowdial" / "core" / "plan"
    put(plan / "scale.py", '    "handover",', '    "stereo",\n    "handover",')
    put(plan / "order.py", "    handover.ROOM,", "    stereo.ROOM,\n    handover.ROOM,")
    put(plan / "order.py", "    proof.AS_LEFT,", "    proof.AS_LEFT,\n    stereo.LEG,")
    above = "from glowdial.core.stages.tracking import"
    new = "from glowdial.core.stages.stereo import room as stereo"
    put(plan / "order.py", above, f"{new}\n{above}")
    done = subprocess.run(
        [sys.executable, "-c", WALK],
        capture_output=True,
        text=True,
        cwd=tmp_path,
        env={"PYTHONPATH": str(source), "PATH": ""},
    )
    assert done.returncode == 0, done.stderr


def put(file: Path, old: str, new: str) -> None:
    """Change the one place in a file."""
    text = file.read_text("utf-8")
    assert text.count(old) == 1, f"{file.name}: {old}"
    file.write_text(text.replace(old, new), "utf-8")


@pytest.mark.parametrize("room", ROOMS)
def test_rooms_import_only_from_below(room: str) -> None:
    allowed = ROOMS[room] | {room}
    for path in modules(room):
        for name in imports(path):
            if name.startswith("glowdial."):
                assert name.split(".")[1] in allowed, f"{path.name} imports {name}"


def test_every_room_is_known() -> None:
    assert {p.name for p in PACKAGE.iterdir() if p.is_dir() and p.name != "__pycache__"} == set(
        ROOMS
    )


def test_the_core_is_pure_and_light() -> None:
    for path in modules("core"):
        tops = {name.split(".")[0] for name in imports(path)}
        assert tops <= CORE_MAY_USE and not tops & CORE_MAY_NOT, path.name
    code = (
        "import sys, glowdial.core.plan.journey, glowdial.core.plan.report;"
        "heavy = {'pydantic', 'fastapi', 'sqlalchemy', 'uvicorn', 'typer'};"
        "print(sorted(heavy & set(sys.modules)))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_the_simulation_keeps_its_truth_to_itself() -> None:
    """No rule can read a hidden state: core and sheets never see the simulation."""
    for room in ("core", "sheets", "store"):
        for path in modules(room):
            assert "glowdial.sim" not in " ".join(imports(path)), path.name


def test_public_names_are_documented() -> None:
    silent = []
    for path in PACKAGE.rglob("*.py"):
        if "migrations" in path.parts or "api" in path.parts:
            continue
        tree = ast.parse(path.read_text("utf-8"))
        assert ast.get_docstring(tree), path
        for node in tree.body:
            named = isinstance(node, ast.FunctionDef | ast.ClassDef)
            if named and not node.name.startswith("_") and not ast.get_docstring(node):
                silent.append(f"{path.name}:{node.name}")
    assert silent == []


def endpoints(tree: ast.Module) -> list[ast.FunctionDef | ast.AsyncFunctionDef]:
    """Functions that a router calls."""
    return [
        node
        for node in ast.walk(tree)
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)
        and any("router." in ast.unparse(d) for d in node.decorator_list)
    ]


def too_thick(tree: ast.Module) -> list[str]:
    """Endpoints that are long, or decide anything: loops, or more than two ways to go."""
    found = []
    for node in endpoints(tree):
        body = [n for stmt in node.body for n in ast.walk(stmt)]
        loops = any(isinstance(n, ast.For | ast.AsyncFor | ast.While) for n in body)
        ways = sum(isinstance(n, ast.If | ast.IfExp | ast.Match) for n in body)
        length = (node.body[-1].end_lineno or 0) - node.body[0].lineno
        if loops or ways > 2 or length > 25:
            found.append(node.name)
    return found


def test_endpoints_are_thin() -> None:
    seen = 0
    for path in modules("api"):
        tree = ast.parse(path.read_text("utf-8"))
        seen += len(endpoints(tree))
        assert too_thick(tree) == [], path.name
    assert seen > 40


def test_a_thick_endpoint_would_be_seen_async_or_not() -> None:
    for kind in ("def", "async def"):
        source = f"""
@router.get("/x")
{kind} thick(a: int) -> int:
    total = 0
    for n in range(a):
        total += n
    return total
"""
        assert too_thick(ast.parse(source)) == ["thick"]


# what a rule of the job would look like in a page
RULES = {
    "a threshold": re.compile(
        r"(?<!\.length )(?<!\.status )(?<!count )(?:[<>]=?|[!=]==)\s*-?"
        r"(?!0\b(?!\.)|1\b(?!\.))\d+(?:\.\d+)?(?![\w%])"
    ),
    "a threshold, turned round": re.compile(r"\b(?!0\b|1\b)\d+(?:\.\d+)?\s*(?:[<>]=?)\s*[a-z(]"),
    "a factor": re.compile(
        r"(?:[*/]\s*(?:1000|\d{4,}|\d*\.\d+)\b|\d+\.\d+\s*\*|(?<![#\w])\d[eE]-?\d)"
    ),
    "a formula": re.compile(r"Math\.(?:log\w*|sqrt|pow|exp|sin|cos|tan|atan\w*|cbrt|PI)\b|\*\*"),
    "a unit": re.compile(
        r"\b(?:[kM]?Hz|[kM]?ohms?|[mu]?V|[mu]A|[munp]F|[mu]?H|dB|mW|volts? (?:AC|DC))\b"
        r"(?=[^()]*[\"'`<])"
    ),
    "a tolerance": re.compile(r"\b(?:tolerance|threshold)\w*\s*[:=]\s*\d"),
}


def rules_in(text: str) -> list[str]:
    """What in a page's source looks like a rule of the job; comments, imports and arrows aside."""
    bare = re.sub(r"/\*.*?\*/|//[^\n]*|^import [^;]*;", "", text, flags=re.DOTALL | re.MULTILINE)
    bare = bare.replace("=>", "")
    return [f"{what}: {m.group(0)}" for what, rule in RULES.items() for m in rule.finditer(bare)]


def test_the_pages_hold_no_rule_of_the_job() -> None:
    """Thresholds, units and formulas live in the core; the pages only draw."""
    for path in (ROOT / "web" / "src").rglob("*.ts*"):
        if "schema.d" not in path.name and ".test." not in path.name:
            found = rules_in(path.read_text("utf-8"))
            if path.parent.name == "pictures" and path.stem.endswith("Layout"):
                # where things go on a page is full of numbers, but none of them is the job's
                found = [f for f in found if not f.startswith(("a threshold", "a factor"))]
            assert found == [], path.name


@pytest.mark.parametrize(
    "line",
    [
        "if (volts > 50) stop();",
        "const low = bPlus < 10000;",
        "return share >= 0.1;",
        "if (0.97 < after) {}",
        "const khz = frequency / 1000;",
        "const w = 1.3 * design;",
        "const c = 4.7e-9;",
        "const db = 20 * Math.log10(a);",
        "const p = v ** 2;",
        "return `${x} kHz`;",
        "<Text>{value} dB</Text>",
        'const unit = "uF";',
        "const tolerance = 5;",
    ],
)
def test_a_rule_in_a_page_would_be_seen(line: str) -> None:
    assert rules_in(line), line


def test_documentation_links_lead_somewhere() -> None:
    for name in ("README.md", "CONTRIBUTING.md", "docs/architecture.md", "docs/physics.md"):
        text = (ROOT / name).read_text("utf-8")
        for target in re.findall(r"\]\((?!http)([^)#]+)", text):
            assert (ROOT / name).parent.joinpath(target).exists(), f"{name}: {target}"
        for target in re.findall(r"`((?:src|web|tests|docs|benchmarks)/[\w./-]+)`", text):
            assert (ROOT / target).exists(), f"{name}: {target}"


def test_no_package_address_and_no_machine_path_in_any_file() -> None:
    listed = subprocess.run(
        ["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True
    ).stdout.split()
    # written in halves, so that this file does not hold them
    marks = ('"resol' + 'ved":', "--index" + "-url", "--extra-index" + "-url", "/ro" + "ot/")
    for name in listed:
        if name.endswith((".png", ".woff2", ".gz")):
            continue
        text = (ROOT / name).read_text("utf-8")
        assert [mark for mark in marks if mark in text] == [], name
