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
from jobs.services import keep_in_library, take_in_path
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
        self.web = self.begin("web")
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
            self.assertEqual(kinds, ["contact.body", "contact.rapid", "material.gouge", "travel.over"])
            for place, finding in enumerate(first.findings.all()):
                page.get_by_test_id("finding").nth(place).click()
                self.wait_for_time(page, finding.data["time"])
                expect(page.get_by_test_id("script")).to_have_attribute("data-line", str(finding.data["line"]))
                expect(page.locator(".details")).to_contain_text(finding.data["message"])
                expect(page.locator(".details img.picture")).to_have_attribute("src", re.compile("^data:image/png"))

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

            # The finished part: deviation colours with their scale, the worst place, what made a face, margins.
            page.locator(".tabs").get_by_text("Part").click()
            expect(page.get_by_test_id("spot")).to_have_count(2)
            page.get_by_test_id("spot").first.click()
            self.wait_for_time(page, first.seconds)
            expect(page.get_by_test_id("scale")).to_be_visible()
            page.keyboard.press("3")
            page.wait_for_timeout(500)
            spot = page.get_by_test_id("stage").bounding_box()
            assert spot
            page.mouse.click(spot["x"] + spot["width"] / 2, spot["y"] + spot["height"] / 2)
            expect(page.get_by_test_id("face")).to_contain_text("T2 D16 end mill, line 3605")
            expect(page.get_by_test_id("face")).to_contain_text("5.000 mm too deep")
            page.keyboard.press("d")
            expect(page.get_by_test_id("scale")).to_have_count(0)
            page.locator(".tabs").get_by_text("Margins").click()
            page.get_by_role("button", name="T1 cutter · stop arm").click()
            expect(page.get_by_test_id("script")).to_have_attribute("data-line", re.compile(r"^\d+$"))
            page.locator(".tabs").get_by_text("Docket").click()
            page.keyboard.press("End")  # a chosen tab keeps the focus, the keys go on working
            self.wait_for_time(page, first.seconds)

            # Triage, run again, triage kept.
            page.get_by_test_id("finding").nth(3).click()
            page.get_by_label("Reason").fill("the stops of unit 17 are moved")
            page.get_by_role("button", name="Accepted").click()
            expect(page.locator(".docket li.chosen em")).to_have_text("Accepted")
            page.get_by_role("button", name="Rehearse again").click()
            expect(page).to_have_url(re.compile(r"/rehearsals/\d+$"))
            page.wait_for_function(f"!location.pathname.endsWith('/{first.pk}')")
            expect(page.get_by_test_id("verdict")).to_be_visible(timeout=LONG_MS)
            expect(page.get_by_test_id("finding").nth(3)).to_contain_text("Accepted")
            self.assertEqual(faults, [])
            browser.close()

    def test_a_job_from_its_parts(self) -> None:
        released = FLAWED.parent / "1-as released"
        shop = Organisation.objects.get()
        user = get_user_model().objects.get()
        keep_in_library(shop, user, "machine", (released / "machine.json").read_bytes(), "machine.json")
        with sync_playwright() as driver:
            browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            self.sign_in(page)
            page.get_by_role("button", name="New job").click()
            files = [released / name for name in ("O2101.nc", "design.stl", "tools.json")]
            page.set_input_files("input[aria-label='Files of the job']", files)
            page.get_by_label("Machine").click()
            page.get_by_title("VM-3 unit 17 (1)").click()
            for label, values in (("Size", (150, 110, 30)), ("Middle", (0, 0, 61)), ("Program zero", (0, 0, 76)),
                                  ("design.stl", (0, 0, 76))):  # fmt: skip
                for axis, value in zip("XYZ", values, strict=True):
                    page.get_by_label(f"{label} {axis}", exact=True).fill(str(value))
            page.get_by_role("button", name="Take it in").click()
            row = page.locator(".job-table tr", has_text="O2101")
            expect(row).to_contain_text("composed")
            row.get_by_role("button", name="Rehearse").click()
            # Without the vise there is nothing to run into; the part comes out as designed.
            expect(page.get_by_test_id("verdict")).to_contain_text("May run", timeout=LONG_MS)
            browser.close()

    def test_killed_worker_restarted_server_two_at_once_and_cancel(self) -> None:
        def running(count: int) -> None:
            end = time.monotonic() + 60
            while Rehearsal.objects.filter(state="running").count() < count:
                self.assertLess(time.monotonic(), end)
                time.sleep(0.05)

        with sync_playwright() as driver:
            browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            self.sign_in(page)
            page.get_by_role("button", name="Rehearse").click()
            running(1)
            os.killpg(self.worker.pid, signal.SIGKILL)
            expect(page.get_by_text("The worker ended in the middle")).to_be_visible(timeout=60_000)
            self.worker = self.begin("worker")

            # Two at once; the web server goes away and comes back while they run; one of them is cancelled.
            page.get_by_role("button", name="Rehearse again").click()
            other = page.context.new_page()
            other.goto(f"http://127.0.0.1:{self.port}/")
            other.get_by_role("button", name="Rehearse").click()
            running(2)
            os.killpg(self.web.pid, signal.SIGKILL)
            self.web.wait()
            self.web = self.begin("web")
            while not services.answers(self.port):
                time.sleep(0.1)
            other.get_by_role("button", name="Cancel").click()
            expect(other.get_by_text("The rehearsal was cancelled")).to_be_visible(timeout=60_000)
            expect(page.get_by_test_id("verdict")).to_be_visible(timeout=LONG_MS)
            states = Rehearsal.objects.order_by("pk").values_list("state", flat=True)
            self.assertEqual(sorted(states), ["cancelled", "done", "failed"])
            browser.close()
