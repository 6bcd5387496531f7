"""Commands of the standard at the stand-in: tools, properties, coordinates, scans, errors by their numbers."""

import socket

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.frames import apply, invert
from truegauge.devices.cmm_sim.frames import from_numbers, to_numbers
from truegauge.devices.cmm_sim.scanning import scan_path
from truegauge.devices.ipp.client import MachineRefused
from truegauge.devices.ipp.messages import Call, call, read_command
from truegauge.devices.protocol import Said


def ask(there, words, tag="00001"):
    """Send what is written, and return the lines of values."""
    return there.cmm.link.ask(read_command(f"{tag} {words}").call, at_most_s=60.0)


def numbers(line, name):
    return next(v.numbers() for v in line if isinstance(v, Call) and v.name == name)


def places(lines):
    return np.array([[numbers(line, n)[0] for n in "XYZ"] for line in lines])


# Errors -------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("words", "number"), [
    ("GoTo(Y(5000))", 1008), ("PtMeas(X(300), Y(300), Z(-300), IJK(0, 0, 0))", 1010),
    ("PtMeas(X(300), Y(300), Z(-300), IJK(0, 0, 1))", 1006), ("Get(W())", 1002), ("GoTo(W(3))", 1002),
    ('ChangeTool("nobody:c3")', 1502), ('SetTool("Long 3:c4")', 1501), ("GetProp(Tool.Colour())", 509),
    ("SetProp(Tool.Id(3))", 509), ("GoTo(Tool.A(10))", 2505), ("Dance()", 501),
    ("SetProp(Tool.PtMeasPar.Speed(999))", 502),
    ("SetCsyTransformation(PartCsy, 0, 0, 0, 200, 0, 0)", 1007), ("StopDaemon(7)", 512),
])  # fmt: skip
def test_errors_have_the_numbers_of_the_standard(there, words, number):
    with pytest.raises(MachineRefused) as told:
        ask(there, words)
    assert told.value.said.number == number
    assert not there.cmm.has_error()


@pytest.mark.parametrize(("line", "number"), [
    ("0000A GoTo()", 1), ("00000 GoTo()", 1), ("00001GoTo(X(1))", 2), ("00001 GoTo(X(1", 8),
    ("00001 GoTo(X(1)\x07)", 7), ("E0001 Home()", 8),
])  # fmt: skip
def test_lines_that_are_wrong_are_told_what_is_wrong_with_them(bench, line, number):
    with socket.create_connection(("127.0.0.1", bench().stand_in.port), timeout=120) as s:
        s.sendall(b"00009 StartSession()\r\n" + line.encode() + b"\r\n")
        said = ""
        while "!" not in said:
            said += s.recv(1000).decode()
    assert f"Error(1, {number:04d}, " in said


def test_an_emergency_without_words_is_said_in_words(there):
    there.stand_in.server._session.send("E0000", "!", 'Error(2, 1009, "", "")')
    said = []
    while not said and not there.world.drive.stop.wait(0.02):
        said = there.cmm.events()
    assert said == [Said("the pressure of the air is out of its range")]


def test_the_state_is_told_in_full(there):
    assert [str(v) for line in ask(there, "GetXtdErrStatus()") for v in line] == ["IsHomed(1)", "IsUserEnabled(1)"]
    there.world.fault_text = "the door is open"
    lines = ask(there, "GetXtdErrStatus()")
    assert str(lines[-1][0]).startswith("Error(2, 1000, ")
    assert "the door is open" in str(lines[-1][0])
    assert ask(there, "GetErrorInfo(1006)") == [("no surface was found",)]


# Tools --------------------------------------------------------------------------------------------------------------


def test_a_tool_that_is_looked_for_is_not_put_on(there):
    ask(there, 'FindTool("Long 3:c4")')
    line = ask(there, "GetProp(FoundTool.Name(), FoundTool.Radius(), Tool.Name(), Tool.Radius())")
    said = {v.name: v.args[0] for values in line for v in values}
    assert said == {
        "FoundTool.Name": "Long 3:c4",
        "FoundTool.Radius": 1.5,
        "Tool.Name": "Short 4:c3",
        "Tool.Radius": 2.0,
    }
    assert there.world.stylus_id == "c3"
    with pytest.raises(MachineRefused, match="no tool"):
        ask(there, 'FindTool("nobody")')


@pytest.mark.parametrize("direction", [(1, 0, 0), (0, -1, 0), (0, 0, 1), (1, 1, 1), (-0.3, 0.8, 0.1)])
def test_the_head_is_aligned_to_a_direction(there, direction):
    there.cmm.go_to(np.array([300.0, 400.0, -200.0]))
    wanted = np.array(direction, dtype=float) / np.linalg.norm(direction)
    i, j, k = (float(v) for v in wanted)
    (line,) = there.cmm.link.ask(call("AlignTool", i, j, k, 10.0))
    shaft = there.world.probe.assembly.stylus("c3", there.world.probe.pose).direction
    assert_allclose(numbers(line, "AlignTool"), -shaft, atol=1e-6)
    # No indexed pose points nearer.
    assert np.degrees(np.arccos(np.clip(-shaft @ wanted, -1, 1))) < 5.4


def test_a_direction_that_the_head_cannot_take_is_refused_before_it_turns(there):
    with pytest.raises(MachineRefused, match="comes within"):
        ask(there, "AlignTool(0, 0, -1, 5)")
    assert there.world.probe.pose.tilt_deg == 0


@pytest.mark.parametrize(("tool", "racked", "action"), [
    ("Short 4:c3", True, "Switch"), ("Long 3:c4", True, "MoveAuto"), ("Long 3:c4", False, "MoveMan"),
])  # fmt: skip
def test_what_a_change_means_is_asked_before_it_is_made(there, tool, racked, action):
    if not racked:
        there.world.rack.clear()
    assert ask(there, f'GetChangeToolAction("{tool}")')[0][0].args == (Call(action),)


def test_properties_are_enumerated_with_their_types(there):
    below = {pair[0]: pair[1] for pair in ask(there, "EnumProp(Tool())")}
    assert below["PtMeasPar"] == "Property"
    assert below["Name"] == "String"
    every = {pair[0]: pair[1] for pair in ask(there, "EnumAllProp(Tool())")}
    assert every["Tool.PtMeasPar.Approach"] == "Number"
    for name, kind in ((n, k) for n, k in every.items() if k != "Property"):
        (value,) = there.cmm.link.ask(call("GetProp", Call(name)))[0]
        assert isinstance(value.args[0], str if kind == "String" else float), name


@pytest.mark.parametrize("retract", [0.0, -3.0])
def test_without_a_retract_it_stays_where_it_touched(there, retract):
    ask(there, f"SetProp(Tool.PtMeasPar.Retract({retract}))")
    x, y, z = there.world.sphere.center + np.array([0, 0, 12.5])
    there.cmm.go_to(np.array([x, y, z + 40]))
    (line,) = ask(there, f"PtMeas(X({x}), Y({y}), Z({z}), IJK(0, 0, 1))")
    assert_allclose(places([line])[0], there.cmm.where(), atol=0.02)
    there.cmm.go_to(np.array([x, y, z + 40]))  # and it gets away from there
    assert not there.world.fault_text


# Coordinates --------------------------------------------------------------------------------------------------------


def test_numbers_of_a_transformation_come_back(rng):
    for values in (*rng.uniform([-50, -50, -50, 5, -179, -179], [50, 50, 50, 175, 179, 179], (40, 6)),
                   [1.0, 2, 3, 0, 30, 0], [1.0, 2, 3, 180, 30, 0]):  # fmt: skip
        made = from_numbers(tuple(values))
        assert_allclose(to_numbers(made), values, atol=1e-9)
        assert np.linalg.det(made[:3, :3]) == pytest.approx(1)
    # By definition: Psi about z, then Theta about the new x: z leans to -y turned by Psi.
    tilted = from_numbers((0.0, 0.0, 0.0, 90.0, 0.0, 0.0))
    assert_allclose(tilted[:3, 2], [0, -1, 0], atol=1e-12)


def test_everything_is_said_in_the_coordinates_in_use(there):
    sphere = there.world.sphere.center
    x, y, z = sphere + np.array([0, 0, 12.5])
    there.cmm.go_to(np.array([x, y, z + 40]))
    (plain,) = ask(there, f"PtMeas(X({x}), Y({y}), Z({z}), IJK(0, 0, 1))")
    six = (500.0, 200.0, -600.0, 25.0, 40.0, -70.0)
    ask(there, "SetCsyTransformation(PartCsy, " + ", ".join(map(str, six)) + ")")
    ask(there, "SetCoordSystem(PartCsy)")
    assert "PartCsy" in str(ask(there, "GetCoordSystem()")[0][0])
    machine_from_part = from_numbers(six)
    target = apply(invert(machine_from_part), np.array([[x, y, z]]))[0]
    out = machine_from_part[:3, :3].T @ [0, 0, 1]
    p, d = (", ".join(f"{v:.9f}" for v in a) for a in (target, out))
    px, py, pz = p.split(", ")
    (own,) = ask(there, f"PtMeas(X({px}), Y({py}), Z({pz}), IJK({d}))")
    assert_allclose(apply(machine_from_part, places([own]))[0], places([plain])[0], atol=0.003)
    assert_allclose(machine_from_part[:3, :3] @ numbers(own, "IJK"), [0, 0, 1], atol=1e-6)
    here = places(ask(there, "Get(X(), Y(), Z())"))[0]
    ask(there, f"GoTo(X({here[0] + 1}), Y({here[1]}), Z({here[2]}))")
    ask(there, "SetCoordSystem(MachineCsy)")
    moved = places(ask(there, "Get(X(), Y(), Z())"))[0]
    assert_allclose(moved, apply(machine_from_part, (here + np.array([1.0, 0, 0]))[None])[0], atol=1e-4)
    assert_allclose(numbers(ask(there, "GetCsyTransformation(PartCsy)")[0], "GetCsyTransformation"), six, atol=1e-4)


def test_coordinate_systems_are_kept_by_name(there):
    ask(there, "SetCsyTransformation(PartCsy, 1, 2, 3, 4, 5, 6)")
    ask(there, 'SaveActiveCoordSystem("fixture 1")')
    ask(there, 'SaveNamedCsyTransformation("fixture 2", 7, 8, 9, 10, 11, 12)')
    assert ask(there, "EnumCoordSystems()") == [("fixture 1",), ("fixture 2",)]
    ask(there, 'LoadCoordSystem("fixture 2")')
    assert_allclose(numbers(ask(there, "GetCsyTransformation(PartCsy)")[0], "GetCsyTransformation"),
                    [7, 8, 9, 10, 11, 12], atol=1e-4)  # fmt: skip
    ask(there, 'DeleteCoordSystem("fixture 1")')
    with pytest.raises(MachineRefused, match="no coordinate system"):
        ask(there, 'LoadCoordSystem("fixture 1")')


# Scans --------------------------------------------------------------------------------------------------------------


def test_scans_tell_what_was_asked_for(there):
    x, y, z = there.world.sphere.center
    ask(there, "OnScanReport(X(), Y(), Z(), Q())")
    ask(there, "ScanOnCircleHint(0.1, 0.05)")
    there.cmm.go_to(np.array([x + 30, y, z + 40]))
    lines = ask(there, f"ScanOnCircle({x}, {y}, {z}, {x + 12.5}, {y}, {z}, 0, 0, 1, 40, 0, 5)")
    assert [v.name for v in lines[0]] == ["X", "Y", "Z", "Q"]


def test_a_helix_goes_on_by_its_lead_in_each_turn():
    words = "ScanOnHelix(0, 0, 0, 10, 0, 5, 0, 0, 1, 720, 180, 10, 3)"
    points, normals = (np.array(v) for v in zip(*scan_path(read_command(f"00001 {words}").call), strict=True))
    assert_allclose(np.hypot(points[:, 0], points[:, 1]), 10, atol=1e-9)
    assert_allclose([points[0, 2], points[-1, 2]], [5, 11], atol=1e-9)
    assert_allclose(normals[0], [-1, 0, 0], atol=1e-9)  # inside
    words = "ScanOnHelix(0, 0, 0, 10, 0, 5, 0, 0, 1, 720, 90, 10, 3)"  # on a plane: a spiral
    points, normals = (np.array(v) for v in zip(*scan_path(read_command(f"00001 {words}").call), strict=True))
    assert_allclose(points[:, 2], 5, atol=1e-9)
    assert_allclose(np.hypot(*points[-1, :2]), 16, atol=1e-9)
    assert_allclose(normals, np.tile([0, 0, 1], (len(normals), 1)), atol=1e-9)


def sphere_cut(there, tilt):
    """The sphere's centre, and a plane through it that leans by an angle."""
    return there.world.sphere.center, np.array([np.sin(tilt), 0.0, np.cos(tilt)])


@pytest.mark.parametrize(("tilt", "end"), [(0.0, "Sphere"), (0.3, "Sphere"), (0.0, "Plane"), (0.0, "Cyl")])
def test_an_unknown_contour_is_followed_to_its_end(there, tilt, end):
    """Around the ball in a plane, knowing nothing of it but where to begin."""
    center, plane = sphere_cut(there, tilt)
    out = np.cross(plane, [0, 1.0, 0])
    out /= np.linalg.norm(out)
    start = center + 12.5 * out
    side = np.array([0, 1.0, 0])
    stop = center + 12.5 * (side - 0.3 * out) / np.hypot(1, 0.3)
    there.cmm.go_to(start + 40 * out + np.array([0, 0, 60.0]))
    there.cmm.go_to(start + 10 * out)
    ends = {"Sphere": (*stop, 6.0), "Plane": (*stop, 0.0, 1.0, 0.0), "Cyl": (*stop, *plane, 6.0)}[end]
    values = (*start, *out, *plane, *(start + side), 1.0, *ends, 1, *side)
    lines = there.cmm.link.ask(call(f"ScanInPlaneEndIs{end}", *map(float, values)), at_most_s=60)
    found = places(lines)
    assert len(found) > 12
    assert np.ptp(np.linalg.norm(found - center, axis=1)) < 0.3  # the tip is not quite where it is described
    assert np.abs((found - found[0]) @ plane).max() < 0.4
    steps = np.linalg.norm(np.diff(found, axis=0), axis=1)
    assert steps.max() < 1.6
    normals = np.array([numbers(line, "IJK") for line in lines])
    radial = (found - center) / np.linalg.norm(found - center, axis=1)[:, None]
    assert (np.einsum("ij,ij->i", normals, radial) > 0.995).all()


def test_a_contour_can_stay_at_a_distance_from_an_axis(there):
    """A small circle on top of the ball: at the distance from the axis at which it begins."""
    center = there.world.sphere.center
    r = 6.0
    start = center + np.array([r, 0, np.sqrt(12.5**2 - r**2)])
    out = (start - center) / 12.5
    there.cmm.go_to(start + np.array([0, 0, 40.0]))
    stop = center + np.array([-r, 0.5, np.sqrt(12.5**2 - r**2)])
    values = (*center, 0, 0, 1, *start, *out, *(start + np.array([0, 5.0, 0])), 0.8, *stop, 4.0, 1, *out)
    lines = there.cmm.link.ask(call("ScanInCylEndIsSphere", *map(float, values)), at_most_s=60)
    found = places(lines)
    # The tip's centre keeps a larger circle than the contact.
    far = np.hypot(*(found - center)[:, :2].T)
    assert np.ptp(far) < 0.4
    assert found[-1, 0] < center[0]


@pytest.mark.parametrize("words", [
    "ScanInPlaneEndIsSphere(1, 2, 3)", "ScanOnCircleHint(1)", "ScanOnHelix(0, 0, 0, 0, 0, 5, 0, 0, 1, 720, 180, 10, 3)",
    "ScanInPlaneEndIsSphere(0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 0, 0, 1, 5, 5, 5, 3, 1, 1, 0, 0)",
    "ScanInPlaneEndIsSphere(0, 0, 0, 1, 0, 0, 0, 0, 1, 1, 0, 0, -1, 5, 5, 5, 3, 1, 1, 0, 0)",
    "SetCsyTransformation(PartCsy)", "SetCsyTransformation()", "SetCsyTransformation(MachineCsy, 1, 2, 3, 4, 5, 6)",
    "AlignTool(0, 0, 0, 5)", "AlignTool(1)", "EnumProp(Nothing())", "OnScanReport(W())", 'LoadCoordSystem("x")',
])  # fmt: skip
def test_words_that_make_no_sense_are_refused_and_nothing_ends(there, words):
    with pytest.raises(MachineRefused):
        ask(there, words)
    assert there.cmm.is_connected
    there.cmm.where()
