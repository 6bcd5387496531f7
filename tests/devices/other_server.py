"""A small I++ server written apart from the stand-in: a fixed head, tools of its own names, strict about tags.

A ball on a stem and a box stand in a plane world of distances. Its touches are reported once, in the middle of reports
of where it is while it goes back slowly; touches by hand come as events.
"""

import re
import socket
import threading
import time

import numpy as np

_CALL = re.compile(r"([A-Za-z.]+)\(([^()]*)\)")
_EVENT_COMMANDS = ("OnMoveReportE", "GetErrStatusE", "AbortE", "GetPropE")


class OtherServer:
    """Serves one connection after the other; `seen` are the lines that came in."""

    def __init__(self, tools, sphere=(300.0, 300.0, -500.0), radius=12.5, box=((100, 100, -700), (220, 200, -600))):
        self.tools = dict(tools)  # name: offset of the tip from the quill, radius
        self.tool = None
        self.sphere, self.radius, self.box = np.array(sphere, float), radius, np.array(box, float)
        self.at = np.array([400.0, 500.0, -100.0])  # of the quill
        self.approach = self.retract = 5.0
        self.search = 8.0
        self.seen, self.touched = [], 0
        self.error = ""
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.port = self._listening.getsockname()[1]
        self._connection, self._report = None, None
        self._sending = threading.Lock()
        threading.Thread(target=self._serve, daemon=True).start()

    def close(self):
        self._listening.close()
        if self._connection is not None:
            self._connection.close()

    def say(self, line):
        """Say something, asked or unasked."""
        with self._sending:
            self._connection.sendall(line.encode() + b"\r\n")

    def touch_by_hand(self, direction):
        """Have somebody touch the ball against a direction: an event, in a call of its own."""
        x, y, z = self.sphere + (self.radius + self._tip()[1]) * np.array(direction)
        i, j, k = direction
        self.say(f"E0000 # PtMeas(X({x:.6f}), Y({y:.6f}), Z({z:.6f}), IJK({i:.9f}, {j:.9f}, {k:.9f}))")

    def _tip(self):
        return self.tools[self.tool] if self.tool else (np.zeros(3), 2.0)

    def _serve(self):
        while True:
            try:
                self._connection, _ = self._listening.accept()
                self._connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            except OSError:
                return
            self._report = None
            rest = b""
            try:
                while piece := self._connection.recv(4096):
                    *lines, rest = (rest + piece).split(b"\r\n")
                    for line in lines:
                        self._take(line.decode())
            except OSError:
                pass
            self._connection.close()

    def _take(self, line):
        self.seen.append(line)
        tag, _, call = line.partition(" ")
        name, _, args = call.partition("(")
        if not re.fullmatch(r"0\d{4}|E\d{4}", tag) or tag in ("00000", "E0000"):
            self._refuse(tag, 1, 7, "illegal tag")
            return
        if (tag[0] == "E") != (name in _EVENT_COMMANDS):
            self._refuse(tag, 1, 8, "the tag does not suit the command")
            return
        self.say(f"{tag} &")
        try:
            self._do(tag, name, args.rstrip(")") + ")")
        except LookupError as error:
            self._refuse(tag, 2, *error.args)
            return
        self.say(f"{tag} %")

    def _refuse(self, tag, severity, number, text):
        self.say(f'{tag} ! Error({severity}, {number:04d}, "", "{text}")')
        self.say(f"{tag} %")

    def _do(self, tag, name, args):
        numbers = {n: [float(v) for v in text.split(",")] for n, text in _CALL.findall(args) if text.strip()
                   and text.strip()[0] in "+-.0123456789"}  # fmt: skip
        words = [n for n, text in _CALL.findall(args) if not text]
        if self.error and name in ("GoTo", "PtMeas"):
            raise LookupError(1007, self.error)
        match name:
            case "StartSession" | "EndSession" | "Home" | "OnPtMeasReport" | "AbortE":
                return
            case "ClearAllErrors":
                self.error = ""
            case "GetErrStatusE":
                self.say(f"{tag} # ErrStatus({int(bool(self.error))})")
            case "IsHomed":
                self.say(f"{tag} # IsHomed(1)")
            case "OnMoveReportE":
                if set(words) - {"X", "Y", "Z"}:
                    raise LookupError(509, "bad argument")
                self._report = tag
            case "Get":
                if set(words) - {"X", "Y", "Z"}:
                    raise LookupError(509, "bad argument")
                self.say(f"{tag} # {self._place()}")
            case "EnumTools":
                for tool in self.tools:
                    self.say(f'{tag} # "{tool}"')
            case "ChangeTool" | "SetTool":
                wanted = args.split('"')[1]
                if wanted not in self.tools:
                    raise LookupError(1502, "tool not defined")
                self.tool = wanted
            case "SetProp":
                for key, value in numbers.items():
                    own = key.rpartition(".")[2].lower()
                    if own in ("approach", "retract", "search"):
                        setattr(self, own, value[0])
            case "GoTo":
                self._go(np.array([numbers[c][0] for c in "XYZ"]) - self._tip()[0])
            case "PtMeas":
                self._measure(tag, np.array([numbers[c][0] for c in "XYZ"]), np.array(numbers["IJK"]))
            case _:
                raise LookupError(501, "unsupported command")

    def _place(self, at=None):
        x, y, z = (self.at if at is None else at) + self._tip()[0]
        return f"X({x:.6f}), Y({y:.6f}), Z({z:.6f})"

    def room(self, quill):
        """How far the tip is from everything."""
        tip, radius = quill + self._tip()[0], self._tip()[1]
        outside = np.maximum(self.box[0] - tip, tip - self.box[1])
        box = np.linalg.norm(np.maximum(outside, 0)) + min(outside.max(), 0)
        return min(np.linalg.norm(tip - self.sphere) - self.radius, box) - radius

    def _go(self, goal):
        start = self.at
        for share in np.linspace(0.02, 1, 50):
            self.at = start + share * (goal - start)
            if self.room(self.at) < -1e-6:
                self.error = "collision"
                raise LookupError(1006, "collision")
            if self._report and share in (0.5, 1.0):
                self.say(f"{self._report} # {self._place()}")

    def _measure(self, tag, target, normal):
        normal = normal / np.linalg.norm(normal)
        radius = self._tip()[1]
        self._go(target + (radius + self.approach) * normal - self._tip()[0])
        done = 0.0
        while (room := self.room(self.at)) > 1e-7:
            step = min(room, self.approach + self.search - done)
            if step < 1e-9:
                raise LookupError(1010, "no surface found")
            self.at, done = self.at - step * normal, done + step
        contact = self.at.copy()
        self.touched += 1
        # It reports while it goes back, before and after it says where the touch was, under the same tag too.
        self.at = contact + 0.4 * self.retract * normal
        self.say(f"{tag} # {self._place()}")
        i, j, k = normal
        self.say(f"{tag} # {self._place(contact)}, IJK({i:.9f}, {j:.9f}, {k:.9f})")
        self.at = contact + self.retract * normal
        self.say(f"{tag} # {self._place()}")
        if self._report:
            self.say(f"{self._report} # {self._place()}")
        time.sleep(0.002)
