"""The whole program, run as people run it."""

from __future__ import annotations

import http.client
import json
import os
import random
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

from canaleta.host.cluster import free_port
from tests.building.waiting import KEPT


class Running:
    """`start` as a process of its own, and a signed-in client."""

    def __init__(self, data: Path) -> None:
        self.data, self.port = data, free_port()
        environment = {k: v for k, v in os.environ.items() if not k.startswith("CANALETA_") or k in KEPT}
        self.process = subprocess.Popen(
            [sys.executable, "-m", "canaleta.cli", "start", "--data", str(data), "--port", str(self.port)],
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            env=environment,
            cwd="/",
        )
        self.address = f"http://127.0.0.1:{self.port}"
        self.client = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar()))
        self.csrf = ""
        self.csrf = self.ask("POST", "/api/session/link", {"token": self._token()})["csrf"]

    def _token(self) -> str:
        assert self.process.stdout
        report = []
        for line in self.process.stdout:
            report.append(line)
            if "/enter#" in line:
                return line.rpartition("#")[2].strip()
        raise AssertionError("".join(report))

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        request = urllib.request.Request(
            self.address + path, method=method, data=json.dumps(body).encode() if body else None
        )
        request.add_header("Content-Type", "application/json")
        request.add_header("X-Canaleta-Csrf", self.csrf)
        with self.client.open(request, timeout=600) as answer:
            return json.load(answer)

    def open(self, path: str) -> Any:
        """A stream, open."""
        return self.client.open(self.address + path, timeout=600)

    def edit(self, text: str) -> None:
        was = next(s["text"] for s in self.ask("GET", "/api/points/1/sheet")["settings"] if s["field"] == "service")
        edit = {"point": 1, "field": "service", "was": was, "text": text}
        self.ask("POST", "/api/proposals", {"edits": [edit]})

    def service(self) -> str:
        settings = self.ask("GET", "/api/points/1/sheet")["settings"]
        return str(next(s["text"] for s in settings if s["field"] == "service"))

    def reads(self) -> bool:
        """Whether the newest reading is fresh. After a crash of the database there is none until the next scan."""
        age = self.ask("GET", "/api/points/1/path")["age_s"]
        return age is not None and age < 3

    def children(self, name: str, of: int = 0) -> list[int]:
        """Process numbers of the children of a process, ours if none is said, whose command line holds a word."""
        listed = subprocess.run(
            ["ps", "-ww", "-eo", "pid,ppid,args"], capture_output=True, text=True, check=True
        ).stdout
        rows = [line.split(None, 2) for line in listed.splitlines()[1:]]
        return [int(pid) for pid, parent, args in rows if int(parent) == (of or self.process.pid) and name in args]


class Hand:
    """One person: edits one cell of one's own and one that all share, and remembers what was acknowledged."""

    def __init__(self, address: str, token: str, name: str, number: int) -> None:
        self.address, self.name, self.number = address, name, number
        self.client = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar()))
        self.csrf = self.ask("/api/session/link", {"token": token})["csrf"]
        self.acknowledged: list[tuple[int, str, str]] = []
        self.unsure: set[str] = set()
        self.known = {"own": "", "shared": ""}

    def ask(self, path: str, body: Any) -> Any:
        request = urllib.request.Request(self.address + path, data=json.dumps(body).encode(), method="POST")
        request.add_header("Content-Type", "application/json")
        request.add_header("X-Canaleta-Csrf", getattr(self, "csrf", ""))
        with self.client.open(request, timeout=60) as answer:
            return json.load(answer)

    def work(self, over: Callable[[], bool]) -> None:
        """Edit as fast as answers come, until it is over."""
        dice = random.Random(self.number)
        count = 0
        while not over():
            count += 1
            where = "shared" if dice.random() < 0.3 else "own"
            point, field = (20, "notes") if where == "shared" else (30 + self.number, "service")
            text = f"{self.name} {count}"
            edit = {"point": point, "field": field, "was": self.known[where], "text": text}
            try:
                done = self.ask("/api/proposals", {"edits": [edit]})
                self.known[where] = text
                self.acknowledged.append((done["seq"], f"{point}:{field}", text))
            except urllib.error.HTTPError as refused:
                cells = json.load(refused).get("cells") or [{}]
                if refused.code == 503:
                    # The server in front says that the worker was lost: the edit is in or it is not.
                    self.unsure.add(text)
                if refused.code == 409 and cells[0].get("theirs") is not None:
                    self.known[where] = cells[0]["theirs"]
            except (urllib.error.URLError, http.client.HTTPException, ValueError, TimeoutError, OSError):
                # The answer was lost with the worker: the edit is in or it is not, and the next try tells.
                self.unsure.add(text)
                time.sleep(0.2)
