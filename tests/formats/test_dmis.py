"""Programs in DMIS: out and in again the same plan, by hand, edited, damaged; nothing is lost without a word."""

import dataclasses
from pathlib import Path

import numpy as np
import pytest
from mutations import mutated
from tests.test_cli import run

from truegauge import demo
from truegauge.core.commands.features import RemoveFeature
from truegauge.core.commands.history import History
from truegauge.core.commands.programs import TakeProgram
from truegauge.core.errors import FormatError
from truegauge.core.plan.alignments import AlignmentDatum, DatumAlignment
from truegauge.core.plan.document import Plan
from truegauge.core.plan.requirements import DatumReference
from truegauge.core.routes.document import AlignStep, Coming, MeasureStep, NoteStep, TemperatureStep, Via
from truegauge.core.routes.strategies import Clicked, Grid, Rings, Spread, Trace, Usual
from truegauge.core.tolerancing.zone import Zone
from truegauge.demo.cmm_plan import cmm_plan
from truegauge.formats.dmis.reading import read_dmis
from truegauge.formats.dmis.requirements import unsaid
from truegauge.formats.dmis.statements import read_lines, statement
from truegauge.formats.plan_file import read_plan
from truegauge.jobs.dmis import plan_of, program_of
from truegauge.jobs.routing import routed


@pytest.fixture(scope="module")
def whole(model, evaluator):
    """The plan of the machine with its route."""
    return routed(cmm_plan(model), evaluator, make=True, look=False).plan


@pytest.fixture(scope="module")
def program(whole, evaluator):
    return program_of(whole, evaluator).text


@pytest.fixture
def back(evaluator, tmp_path):
    """Read a text onto a plan."""

    def read(text, plan):
        path = tmp_path / "x.dmi"
        path.write_text(text, encoding="utf-8", newline="")
        return plan_of(path, plan, evaluator)

    return read


def bare(text):
    """Return a program without remarks: what the standard alone says."""
    return "\n".join(line for line in text.splitlines() if not line.startswith("$$")) + "\n"


def counts(text):
    """Return how many statements of each word there are; patterns are no features of their own."""
    found = {}
    for _, line in read_lines(text):
        if not line.startswith("$$"):
            s = statement(line)
            word = "PATERN" if s.at(0) == "PATERN" else s.major
            found[word] = found.get(word, 0) + 1
    return found


def test_a_program_is_read_again_to_the_same_plan(whole, program, back):
    found = back(program, whole)
    assert found.plan == whole
    assert not found.notes
    # Also onto a plan that knows nothing but the part.
    assert back(program, Plan(name="empty", part=whole.part)).plan == whole


@pytest.mark.parametrize("plan", [demo.PLAN, demo.COVER_PLAN])
def test_so_are_plans_whose_characteristics_have_no_words_in_the_standard(plan, tmp_path):
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.formats.plan_file import model_of_plan

    file = read_plan(plan)
    own = Evaluator(model_of_plan(plan, file))
    made = program_of(file.plan, own)
    assert any("deviation at a place" in words for words in made.left_out)
    (tmp_path / "x.dmi").write_text(made.text)
    found = plan_of(tmp_path / "x.dmi", file.plan, own)
    assert found.plan == file.plan
    assert not found.notes


@pytest.mark.parametrize("seed", range(10))
def test_so_are_random_plans(seed, whole, evaluator, back):
    rng = np.random.default_rng(seed)
    plan = whole
    for f in rng.permutation([f.id for f in plan.features])[: len(plan.features) - 5]:
        plan = RemoveFeature(str(f)).apply(plan)
    names = ("it's a bore", "naïve Ø12 – größer", "$$ plan: no", "a, b; c $", "x" * 120, "line\nbreak")
    pick = rng.choice
    features = tuple(
        f.replace(name=str(pick(names)), criterion=str(pick(["by_use", "least_squares"]))) for f in plan.features
    )
    strategies = (Usual(), Usual(touches=int(rng.integers(4, 15))), Spread(touches=7), Grid(along=2),
                  Rings(rows=2, touches=5, start_deg=float(rng.uniform(0, 9))), Rings(trace=Trace()))  # fmt: skip
    steps = []
    for s in plan.route.steps:
        if not isinstance(s, MeasureStep):
            steps.append(s)
            continue
        steps.append(s.replace(
            strategy=strategies[rng.integers(len(strategies))], on=bool(rng.random() < 0.8), group=str(pick(["", "a"])),
            pinned=bool(rng.random() < 0.3), approach=float(rng.uniform(2, 6)) if rng.random() < 0.4 else None,
            coming=Coming(far=12.5) if rng.random() < 0.3 else Coming(),
            via=(Via(before=1, place=(1.0, 2.0, 90.0)),) if rng.random() < 0.2 else (),
        ))  # fmt: skip
    steps += [NoteStep(id="n1", text="Turn  the part,\nthen 'go on'"), TemperatureStep(id="t1", lowest=18.5)]
    order = [steps[k] for k in rng.permutation(len(steps))]
    characteristics = tuple(
        c.replace(
            number=int(1000 - c.number), name=str(pick(names)), upper=None if c.upper is None else c.upper * 1.37,
            datums=tuple(DatumReference(letter=d.letter, modifiers=((), ("M",), ("><",), d.modifiers)[rng.integers(4)])
                         for d in c.datums),
            basic=bool(rng.random() < 0.1), sheet_zone="B4",
        )
        for c in plan.characteristics
    )  # fmt: skip
    more = DatumAlignment(id="x y", name="other", base=plan.alignments[0].id,
                          datums=tuple(AlignmentDatum(feature=f.id, axis="-z" if k else "+x")
                                       for k, f in enumerate(features[:2])))  # fmt: skip
    order.append(AlignStep(id="al", alignment="x y"))
    again = more.replace(id="x-y", name="of a like name")
    plan = plan.replace(
        name=str(pick(names)), features=features, characteristics=characteristics,
        alignments=(*plan.alignments, more, again),
        route=plan.route.replace(steps=tuple(order)), decimals=int(rng.integers(2, 5)),
    )  # fmt: skip
    found = back(program_of(plan, evaluator).text, whole)
    assert found.plan == plan
    assert not found.notes


def test_what_the_standard_says_is_read_without_our_remarks(whole, program, back, evaluator):
    """Features are found on the part by their geometry; touches, datums, limits and styli are those of the plan."""
    found = back(bare(program), whole)
    assert {n.text.split("(")[1].split(")")[0] for n in found.notes} == {"shroud"}  # free-form: no place of its own
    faces = {f.id: set(f.faces) for f in whole.features if f.id != "shroud"}
    assert {f.id: set(f.faces) for f in found.plan.features} == faces
    assert {d.letter: d.feature for d in found.plan.datums} == {d.letter: d.feature for d in whole.datums}
    said = {(c.kind, c.features): c for c in found.plan.characteristics}
    for c in whole.characteristics:
        own = said.get((c.kind, c.features))
        assert own is not None, c.name
        same = [x for x in whole.characteristics if (x.kind, x.features) == (c.kind, c.features)]
        assert any((own.upper, own.lower) == (x.upper, x.lower) for x in same), c.name
        assert own.nominal == pytest.approx(c.nominal, abs=1e-9), c.name
    planned = routed(whole, evaluator, look=False).planned
    touches = {s.step.feature: sum(len(v.places) for v in s.visits) for s in planned.steps if s.visits}
    styli = {s.step.feature: {v.use for v in s.visits} for s in planned.steps if s.visits}
    for s in found.plan.route.steps:
        if isinstance(s, MeasureStep):
            assert isinstance(s.strategy, Clicked)
            assert len(s.strategy.places) == touches[s.feature]
            assert s.stylus == (next(iter(styli[s.feature])) if len(styli[s.feature]) == 1 else None)
    # And once more: what was kept stands where it stood.
    again = program_of(found.plan, evaluator).text
    assert back(again, found.plan).plan == found.plan
    assert counts(again)["PTMEAS"] == counts(program)["PTMEAS"]


def test_what_is_read_without_our_remarks_gives_the_same_values(plan, evaluator, sample, back):
    """Two ways to a number: the plan's own, and the one that a file by hand would make of its words, on a scan."""
    text = bare(program_of(plan, evaluator).text)
    own = {(r.characteristic.kind, r.characteristic.features, r.characteristic.system_text): r
           for r in evaluator.evaluate(plan, sample).results}  # fmt: skip
    read = back(text, plan).plan
    assert read.in_force == "datums"  # what a program sets last counts in it
    read = read.replace(in_force=plan.in_force)
    compared = 0
    for r in evaluator.evaluate(read, sample).results:
        c = r.characteristic
        if c.kind.startswith("coordinate"):  # in the frame of its datums: that is said by the plan only
            continue
        there = own[c.kind, c.features, c.system_text]
        if not unsaid(there.characteristic):
            assert r.measured == pytest.approx(there.measured, abs=1e-9), c.name
            assert r.state == there.state, c.name
            compared += 1
    assert compared > 14


def _with(lines):
    """Return a program by hand with a sphere, a bore and a face of the housing."""
    return "\n".join([
        "DMISMN/'x',5.2", "UNITS/MM,ANGDEC", "F(S)=FEAT/SPHERE,INNER,CART,107,63,55.5,24",
        "F(B)=FEAT/CYLNDR,INNER,CART,58,45,30,0,0,1,42", "F(P)=FEAT/PLANE,CART,58,45,60,0,0,1", "DATDEF/FA(P),DAT(A)",
        *lines, "ENDFIL", "",
    ])  # fmt: skip


@pytest.mark.parametrize(
    ("tolerance", "feature", "shape", "offset", "upper"),
    [("POS,2D,0.2,MMC,DAT(A),RFS", "B", "cylinder", 0.0, 0.2), ("POS,3D,0.3,RFS,DAT(A),RFS", "S", "sphere", 0.0, 0.3),
     ("PROFS,-0.05,0.15,DAT(A),RFS", "P", "", 0.05, 0.2), ("PROFS,-0.1,0.1", "P", "", 0.0, 0.2),
     ("POS,3D,0.2,RFS,DAT(A),RFS", "B", None, 0, 0), ("POS,2D,0.2,RFS,DAT(A),RFS", "S", None, 0, 0),
     ("PROFS,0.1,-0.1", "P", None, 0, 0)],
)  # fmt: skip
def test_zones_are_read_as_they_are_or_not_at_all(whole, back, tolerance, feature, shape, offset, upper):
    found = back(_with([f"T(1)=TOL/{tolerance}", f"OUTPUT/FA({feature}),TA(1)"]), whole)
    if shape is None:
        assert found.plan.characteristics == ()
        assert found.notes
        assert len(found.plan.kept) == 2
        return
    (c,) = found.plan.characteristics
    assert (c.zone.shape, c.zone.offset, c.upper) == (shape, pytest.approx(offset), pytest.approx(upper))


def test_a_zone_that_has_no_words_stands_in_a_remark_only(whole, evaluator, back):
    """Others would take it for a usual one."""
    c = next(c for c in whole.characteristics if c.kind == "position" and c.features == ("main-bore",))
    flat = c.replace(zone=Zone(shape="planes", direction=(1.0, 0.0, 0.0)))
    plan = whole.replace(characteristics=tuple(flat if x.id == c.id else x for x in whole.characteristics))
    made = program_of(plan, evaluator)
    assert f"T({c.number})=" not in made.text
    assert f"{c.number} {c.name}: position" in made.left_out
    assert back(made.text, whole).plan == plan


def test_output_of_which_a_part_is_not_read_is_kept_whole_and_nothing_of_it_comes_twice(whole, back, evaluator):
    lines = ["T(1)=TOL/FLAT,0.02", "T(2)=TOL/CYLCTY,0.02", "OUTPUT/FA(P),TA(1),TA(2)",
             "T(3)=TOL/PERP,0.1,DAT(Q),RFS", "OUTPUT/FA(B),TA(3)"]  # fmt: skip
    found = back(_with(lines), whole)
    assert [c.kind for c in found.plan.characteristics if c.kind == "flatness"] == []
    kept = [k.text for k in found.plan.kept]
    assert {"T(1)=TOL/FLAT,0.02", "T(2)=TOL/CYLCTY,0.02", "OUTPUT/FA(P),TA(1),TA(2)"} <= set(kept)
    assert any("datum Q is not there" in n.why for n in found.notes)
    again = back(program_of(found.plan, evaluator).text, whole)
    assert again.plan == found.plan


BY_HAND = (Path(__file__).parents[1] / "data" / "programs" / "by_hand.dmi").read_text()


def test_a_program_by_hand_is_read_as_far_as_it_goes_and_the_rest_is_kept_where_it_stood(whole, back, evaluator):
    found = back(BY_HAND, whole)
    plan = found.plan
    assert [f.id for f in plan.features] == ["BORE", "top"]
    bore = next(f for f in whole.features if f.id == "main-bore")
    assert set(plan.feature("BORE").faces) == set(bore.faces)
    size, flat = plan.characteristics
    assert (size.kind, flat.kind) == ("diameter", "flatness")
    assert (size.nominal, size.lower, size.upper) == pytest.approx((42.0, 0.0, 0.025), abs=1e-9)
    assert flat.upper == pytest.approx(0.0508, abs=1e-12)
    assert [s.kind for s in plan.route.steps] == ["measure", "note"]
    assert plan.route.steps[0].strategy.places[0][0] == pytest.approx((83.0, 45.0, 60.0), abs=1e-9)
    assert plan.route.steps[1].text == "Don't touch"
    told = {n.line: n.why for n in found.notes}
    assert set(told) == {4, 9, 10, 13, 21, 24, 25, 26, 30}
    assert "no such surface" in told[9]
    assert told[21].endswith("all to line 23 is kept as it is")
    kept = [k.text for k in plan.kept]
    for text in ("MODE/PROG,MAN", "$$ the bore", "IF/(3.GT.2)", "CALL/M(CLEAN),'twice'", "OUTPUT/FA(top),TA(X1)",
                 "T(X1)=TOL/PROFP,0.1,0.2", "PTMEAS/CART,9,9,9,1,0,0"):  # fmt: skip
        assert text in kept
    # Written again it has all of it, in the order that it had.
    again = program_of(plan, evaluator).text
    lines = [line for _, line in read_lines(again)]
    at = [lines.index(t) for t in ("MODE/PROG,MAN", "$$ the bore", "IF/(3.GT.2)", "CALL/M(CLEAN),'twice'", "ENDIF")]
    assert at == sorted(at)
    assert lines.index("DATDEF/FA(top),DAT(A)") < at[2]
    # Numbers of what is kept are in the units that it had.
    before = lines[: lines.index("F(NOWHERE)=FEAT/CYLNDR,INNER,CART,9,9,9,0,0,1,0.3")]
    assert [x for x in before if x.startswith("UNITS/")][-1] == "UNITS/INCH,ANGDEC"
    assert {k.units for k in plan.kept} == {"INCH,ANGDEC"}
    once_more = back(again, whole)
    assert once_more.plan == plan


def test_what_is_edited_in_the_text_counts_and_is_told(whole, program, back):
    flat = next(c for c in whole.characteristics if c.kind == "flatness")
    old = f"T({flat.number})=TOL/FLAT,0.06"
    assert old in program
    found = back(program.replace(old, f"T({flat.number})=TOL/FLAT,0.045"), whole)
    changed = next(c for c in found.plan.characteristics if c.id == flat.id)
    assert changed.upper == 0.045
    assert changed == flat.replace(upper=0.045)
    assert [n.why for n in found.notes] == ["it was changed: its limits and datums are those in it now"]
    # A touch that is taken out: the others are touched, one by one.
    lines = program.split("\n")
    begin = next(k for k, line in enumerate(lines) if line.startswith("MEAS/PLANE,F(base)"))
    touch = next(k for k in range(begin, len(lines)) if lines[k].startswith("PTMEAS"))
    found = back("\n".join(lines[:touch] + lines[touch + 1 :]), whole)
    step = found.plan.route.step_of("base")
    assert len(step.strategy.places) == 8
    assert [n.why for n in found.notes] == ["9 touches are announced, 8 are read",
                                            "it was changed: the touches are those in it now"]  # fmt: skip


@pytest.mark.parametrize(
    ("text", "words"),
    [("", "the file is empty"), ("hello\n", "does not begin with DMISMN"),
     ("DMISMN/'x',5.2\n", "does not end with ENDFIL"),
     ("DMISMN/'x',5.2\nUNITS/FEET,ANGDEC\nENDFIL\n", "line 2: UNITS/FEET"),
     ("DMISMN/'x',5.2\nUNITS/MM,ANGDEC\nF(top)=FEAT/PLANE,CART,0,0,60,0,0,1\nMEAS/PLANE,F(top),1\nENDFIL\n",
      "line 4: the touches of a feature do not end with ENDMES"), ("a\0b", "no program in DMIS"),
     ("DMISMN/'x',5.2\nTEXT/OPER,'" + "x" * 10_001 + "'\nENDFIL\n", "line 2: the statement is longer than 10,000")],
)  # fmt: skip
def test_what_is_no_whole_program_is_refused(whole, back, text, words):
    with pytest.raises(FormatError, match=r"x\.dmi: ") as caught:
        back(text, whole)
    assert words in str(caught.value)


@pytest.mark.parametrize("with_remarks", [True, False])
def test_no_damaged_program_is_taken_in_part_without_a_word(whole, program, model, evaluator, tmp_path, with_remarks):
    """Of 60 mutants each way: refused, or all that is not in the plan is kept; changes beside remarks are told."""
    good = (program if with_remarks else bare(program)).encode()
    nominals = {}

    def nominal(f):
        if f.faces not in nominals:
            nominals[f.faces] = evaluator.nominal(f.group, whole)
        return nominals[f.faces] if hasattr(nominals[f.faces], "feature") else None

    rng = np.random.default_rng(8 if with_remarks else 9)
    path, refused, told = tmp_path / "x.dmi", 0, 0
    for _ in range(60):
        path.write_bytes(mutated(good, rng))
        try:
            found = read_dmis(path, whole, model, nominal)
        except FormatError as error:
            refused += 1
            assert str(error).startswith("x.dmi: ")
            continue
        told += bool(found.notes)
        if with_remarks:
            moves = whole.probing.replace(moves=found.plan.probing.moves)
            assert found.notes or found.plan == whole.replace(probing=moves, kept=found.plan.kept)
            continue
        text = path.read_bytes().decode("latin-1")
        kept, there, plan = {}, {}, found.plan
        for counted, lines in ((there, [x for _, x in read_lines(text)]), (kept, [k.text for k in plan.kept])):
            for line in lines:
                for word in ("PTMEAS/", "DATDEF/", "OUTPUT/", "=TOL/", "=FEAT/"):
                    if word in line and "PATERN" not in line and not line.startswith("$$"):
                        counted[word] = counted.get(word, 0) + 1
        steps = [s for s in plan.route.steps if isinstance(s, MeasureStep)]
        read = {"PTMEAS/": sum(len(s.strategy.places) for s in steps if isinstance(s.strategy, Clicked)),
                "DATDEF/": len(plan.datums), "OUTPUT/": len(plan.characteristics), "=TOL/": len(plan.characteristics),
                "=FEAT/": len(plan.features)}  # fmt: skip
        for word, n in there.items():
            assert read[word] + kept.get(word, 0) >= n, word
    assert refused > 10
    assert told > 10


def test_the_program_is_one_edit_that_is_undone(whole, back):
    history = History(whole)
    assert history.run(TakeProgram(back(BY_HAND, whole).plan))
    assert len(history.plan.kept) > 5
    assert history.plan.part == whole.part
    history.undo()
    assert history.plan == whole


def test_the_command_writes_and_reads(tmp_path):
    out, made = tmp_path / "p.dmi", tmp_path / "p.tgplan"
    done = run("dmis", "export", demo.CMM_PLAN, "--out", out)
    assert done.returncode == 0, done.stderr
    assert "only True Gauge reads: shroud" in done.stderr
    done = run("dmis", "import", out, "--plan", demo.CMM_PLAN, "--out", made)
    assert done.returncode == 0, done.stderr
    assert "19 features, 27 characteristics" in done.stdout
    assert read_plan(made).plan.characteristics == read_plan(demo.CMM_PLAN).plan.characteristics
    out.write_text(BY_HAND)
    done = run("dmis", "import", out, "--plan", demo.CMM_PLAN, "--out", made)
    assert done.returncode == 1
    assert "p.dmi: line 4: MODE/PROG,MAN: it is not read" in done.stderr
    assert len(read_plan(made).plan.kept) > 5
    out.write_text("hello")
    done = run("dmis", "import", out, "--plan", demo.CMM_PLAN, "--out", made)
    assert done.returncode == 2
    assert "p.dmi: it is no program in DMIS" in done.stderr


def test_statements_are_parted_and_put_together_again():
    s = statement("F(a.b-1) = FEAT/CYLNDR,INNER,CART,1.5,-2,3E-3,0,0,1,'a, (b''', (x,y)", 7)
    assert (s.kind, s.label, s.major, s.line) == ("F", "a.b-1", "FEAT", 7)
    assert s.parameters[-2:] == ("'a, (b'''", "(x,y)")
    assert s.number(5) == 0.003
    long = dataclasses.replace(s, parameters=tuple(f"{k}.123456789" for k in range(30)))
    text = str(long)
    assert max(map(len, text.splitlines())) <= 80
    ((_, line),) = list(read_lines(text))
    assert statement(line).parameters == long.parameters
