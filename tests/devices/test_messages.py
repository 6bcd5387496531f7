import pytest
from hypothesis import given
from hypothesis import strategies as st

from truegauge.devices.ipp.messages import (
    Call,
    Command,
    ErrorSaid,
    ProtocolError,
    call,
    read_command,
    read_error,
    read_reply,
    read_values,
    written,
)

names = st.from_regex(r"[A-Za-z][A-Za-z]{0,8}(\.[A-Za-z]{1,6})?", fullmatch=True)
numbers = st.floats(-1e6, 1e6).map(lambda v: round(v, 5) + 0.0)
texts = st.text(st.characters(min_codepoint=32, max_codepoint=126, exclude_characters='"'), max_size=12)
values = st.recursive(numbers | texts, lambda inner: st.builds(
    lambda n, a: Call(n, tuple(a)), names, st.lists(inner, max_size=4)), max_leaves=8)  # fmt: skip


@given(st.integers(1, 9999), names, st.lists(values, max_size=4))
def test_what_is_written_is_read_again(tag, name, args):
    command = Command(f"{tag:05d}", Call(name, tuple(args)))
    assert read_command(str(command)) == command


@given(st.text(max_size=60))
def test_any_line_is_read_or_refused(line):
    for read in (read_command, read_reply):
        try:
            read(line)
        except ProtocolError as error:
            assert str(error)


def test_replies_by_their_kind():
    assert read_reply("00012 &").kind == "&"
    assert read_reply("00012 %").kind == "%"
    data = read_reply("E0000 # X(1.5), Y(-2), Z(3e2), IJK(0,0,1)")
    assert data.values[2] == call("Z", 300)
    said = read_reply(f"00012 ! {ErrorSaid(2, 1007, 'GoTo', 'met a Ø4')}")
    assert read_error(said.text) == ErrorSaid(2, 1007, "GoTo", "met a dia. 4")


@pytest.mark.parametrize("line", ["", "12 GoTo()", "00012GoTo()", "00012 GoTo(", "00012 GoTo(X(1)", "00012 5",
                                  "00012 GoTo() GoTo()", "00012 " + "A(" * 20 + ")" * 20, "abcde GoTo()"])  # fmt: skip
def test_broken_commands_are_refused(line):
    with pytest.raises(ProtocolError):
        read_command(line)


def test_numbers_are_written_to_a_nanometre():
    assert written((call("X", 123.4567891),)) == "X(123.456789)"
    assert read_values("X(123.456789)")[0].numbers() == (123.456789,)
