"""The real interface in headless Chromium, on a web server and a worker of its own."""

import os
import re
import signal
import subprocess
import time
from pathlib import Path

import redis
from django.conf import settings
from django.contrib.auth import get_user_model
from django.db import connection
from django.test import TransactionTestCase
from playwright.sync_api import Page, expect, sync_playwright

from accounts.models import Membership, Organisation
from jobs.models import Rehearsal
from jobs.services import take_in_path
from ops import services
from ops.checks import process

FLAWED = settings.ROOT / "demo" / "jobs" / "buoy-lid" / "2-flawed"
LONG_MS = 180_000
CHROMIUM = [
    "--no-sandbox", "--disable-gpu", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--disable-quic",
    "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")  # the browser driver runs an event loop of its own


class Interface(TransactionTestCase):
    def setUp(self) -> None:
        redis.Redis.from_url(settings.QUEUE_URL).flushdb()
        shop = Organisation.objects.create(name="Saltmarsh Instruments")
        user = get_user_model().objects.create_user("ines", password="tide-table-9")
        Membership.objects.create(user=user, organisation=shop)
        take_in_path(shop, user, FLAWED, "flawed")
        self.port = services.free_port()
        self.env = dict(os.environ) | {
            "MIRROR_DB_NAME": str(connection.settings_dict["NAME"]),
            "MIRROR_LOST_AFTER": "6",
        }
        self.children: list[subprocess.Popen[bytes]] = []
        self.addCleanup(self.stop)
        self.begin("web")
        self.worker = self.begin("worker")
        end = time.monotonic() + 30
        while not services.answers(self.port):
            self.assertLess(time.monotonic(), end, "the web server did not come up")
            time.sleep(0.1)

    def begin(self, name: str) -> subprocess.Popen[bytes]:
        log = Path(settings.VAR) / f"e2e-{name}.log"
        with log.open("ab") as out:
            child = subprocess.Popen(
                process(name, self.port),
                cwd=settings.ROOT,
                env=self.env,
                stdout=out,
                stderr=out,
                start_new_session=True,
            )
        self.children.append(child)
        return child

    def stop(self) -> None:
        for child in self.children:
            try:
                os.killpg(child.pid, signal.SIGKILL)
            except ProcessLookupError:
                continue
            child.wait()

    def sign_in(self, page: Page) -> None:
        page.goto(f"http://127.0.0.1:{self.port}/")
        page.get_by_label("Name").fill("ines")
        page.get_by_label("Password").fill("tide-table-9")
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Jobs")).to_be_visible()

    def stage(self, page: Page, key: str) -> float:
        return float(page.get_by_test_id("stage").get_attribute(f"data-{key}") or "nan")

    def wait_for_time(self, page: Page, time_s: float) -> None:
        page.wait_for_function(
            "t => Math.abs(Number(document.querySelector('[data-testid=stage]').dataset.time) - t) < 0.5", arg=time_s,
            timeout=60_000,
        )  # fmt: skip

    def test_from_sign_in_to_triage_and_back(self) -> None:
        with sync_playwright() as driver:
            browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            faults: list[str] = []
            page.on("pageerror", lambda error: faults.append(str(error)))
            self.sign_in(page)

            # Run it and watch the progress.
            page.get_by_role("button", name="Rehearse").click()
            expect(page.get_by_role("button", name="Cancel")).to_be_visible(timeout=30_000)
            expect(page.get_by_test_id("progress")).to_be_visible()
            expect(page.get_by_test_id("verdict")).to_contain_text("Do not run", timeout=LONG_MS)
            expect(page.locator("[data-testid=stage] canvas")).to_be_visible(timeout=60_000)

            # Every finding opens at its moment and line.
            first = Rehearsal.objects.get()
            kinds = [finding.data["kind"] for finding in first.findings.all()]
            self.assertEqual(kinds, ["contact.body", "contact.rapid", "travel.over"])
            for place, finding in enumerate(first.findings.all()):
                page.get_by_test_id("finding").nth(place).click()
                self.wait_for_time(page, finding.data["time"])
                expect(page.locator(".row.now .row-number")).to_have_text(str(finding.data["line"]))
                expect(page.locator(".details")).to_contain_text(finding.data["message"])

            # Scrub to before and after: the stock changes both ways.
            tape = page.get_by_test_id("tape")
            box = tape.bounding_box()
            assert box and first.seconds
            seen = []
            for share in (0.02, 0.5, 0.98, 0.02):
                page.mouse.click(box["x"] + share * box["width"], box["y"] + 30)
                self.wait_for_time(page, share * first.seconds)
                page.wait_for_timeout(300)
                seen.append(self.stage(page, "quads"))
            self.assertEqual(seen[0], seen[3])
            self.assertEqual(len({*seen[:3]}), 3, seen)

            # Keys: a block on, play and pause, the list of keys.
            page.keyboard.press("Home")
            self.wait_for_time(page, 0)
            page.keyboard.press("n")
            expect(page.locator(".docket li.chosen")).to_have_count(1)
            page.keyboard.press("?")
            expect(page.get_by_text("next finding, finding before")).to_be_visible()
            page.keyboard.press("Escape")

            # Triage, run again, triage kept.
            page.get_by_test_id("finding").nth(2).click()
            page.get_by_label("Reason").fill("the stops of unit 17 are moved")
            page.get_by_role("button", name="Accepted").click()
            expect(page.locator(".docket li.chosen em")).to_have_text("Accepted")
            page.get_by_role("button", name="Rehearse again").click()
            expect(page).to_have_url(re.compile(r"/rehearsals/\d+$"))
            page.wait_for_function(f"!location.pathname.endsWith('/{first.pk}')")
            expect(page.get_by_test_id("verdict")).to_be_visible(timeout=LONG_MS)
            expect(page.get_by_test_id("finding").nth(2)).to_contain_text("Accepted")
            self.assertEqual(faults, [])
            browser.close()

    def test_a_killed_worker_leaves_nothing_running(self) -> None:
        with sync_playwright() as driver:
            browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            self.sign_in(page)
            page.get_by_role("button", name="Rehearse").click()
            end = time.monotonic() + 60
            while not Rehearsal.objects.filter(state="running").exists():
                self.assertLess(time.monotonic(), end)
                time.sleep(0.05)
            os.killpg(self.worker.pid, signal.SIGKILL)
            expect(page.get_by_text("The worker ended in the middle")).to_be_visible(timeout=60_000)
            self.begin("worker")
            page.get_by_role("button", name="Rehearse again").click()
            expect(page.get_by_test_id("verdict")).to_be_visible(timeout=LONG_MS)
            self.assertEqual(sorted(Rehearsal.objects.values_list("state", flat=True)), ["done", "failed"])
            browser.close()
