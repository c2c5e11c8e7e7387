"""What every test of the real interface stands on."""

import math
import os
import re
import signal
import subprocess
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

import redis
from django.conf import settings
from django.contrib.auth.models import User
from django.db import connection
from django.test import TransactionTestCase
from playwright.sync_api import Locator, Page, Request, TimeoutError, expect, sync_playwright

from accounts.models import Membership, Organisation
from jobs.services import take_in_path
from ops import services
from ops.checks import process

FLAWED = settings.ROOT / "demo" / "jobs" / "buoy-lid" / "2-flawed"
LONG_MS = 180_000
CHROMIUM = [
    "--no-sandbox", "--disable-gpu", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--disable-quic",
    "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--force-prefers-reduced-motion",  # a click on what is still unfolding is not taken: nothing unfolds
]  # fmt: skip

expect.set_options(timeout=60_000)  # a page on a busy machine is no fault of what is tested
os.environ.setdefault("MIRROR_WEB_PROCESSES", "1")  # one is back sooner than several
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")  # the browser driver runs an event loop of its own


HALF_VIEW_DEG = 16  # of the stage's camera


@dataclass(frozen=True)
class Seen:
    """What the stage shows from the top: its size and middle in the machine's frame, mm."""

    size: tuple[float, float, float]
    middle: tuple[float, float, float]

    @property
    def away(self) -> float:
        """How high above the middle the eye is."""
        return max(20.0, math.dist((0, 0, 0), self.size) / 2) * 1.25 / math.sin(math.radians(HALF_VIEW_DEG))


class WithBrowser(TransactionTestCase):
    """A shop with one job, a web server and a worker of its own, and pages of the interface."""

    def setUp(self) -> None:
        redis.Redis.from_url(settings.QUEUE_URL).flushdb()
        shop = Organisation.objects.create(name="Saltmarsh Instruments")
        user = User.objects.create_user("ines", password="tide-table-9")
        Membership.objects.create(user=user, organisation=shop, role="administers")
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

    @contextmanager
    def browsing(self) -> Iterator[Page]:
        """A page of the interface, signed in; an error of its scripts fails the test."""
        faults: list[str] = []
        with sync_playwright() as driver:
            browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
            # The driver waits by evaluating text in the page, which the policy forbids; the tests of people hold the policy.
            page = browser.new_page(viewport={"width": 1280, "height": 800}, bypass_csp=True)
            page.set_default_timeout(120_000)  # as above, of clicks and of what is waited for in the page
            asked: dict[Request, str] = {}  # and not answered yet
            page.on("request", lambda call: asked.update({call: f"{call.method} {call.url}"}))
            page.on("requestfinished", lambda call: asked.pop(call, None))
            page.on("requestfailed", lambda call: asked.pop(call, None))
            page.on("pageerror", lambda error: faults.append(str(error)))
            try:
                self.sign_in(page)
                yield page
            except BaseException:
                with suppress(Exception):
                    print(f"The page when it failed: {page.url}\n{page.locator('body').inner_text()[:3000]}")
                print("Not answered:", *asked.values(), sep="\n  ")
                raise
            browser.close()
        self.assertEqual(faults, [])

    def shop_and_user(self) -> tuple[Organisation, User]:
        return Organisation.objects.get(), User.objects.get(username="ines")

    def sign_in(self, page: Page) -> None:
        page.goto(f"http://127.0.0.1:{self.port}/")
        page.get_by_label("Name").fill("ines")
        page.get_by_label("Password").fill("tide-table-9")
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Jobs")).to_be_visible()

    def stage(self, page: Page, key: str) -> float:
        return float(page.get_by_test_id("stage").get_attribute(f"data-{key}") or "nan")

    def from_menu(self, page: Page, item: str, leads_to: Locator) -> None:
        """From the first row's menu to what an item opens; a click while the menu is still unfolding is not taken, as with lists."""
        for _ in range(5):
            page.get_by_role("button", name=re.compile("^More for")).first.click()
            page.get_by_text(item).click()
            with suppress(AssertionError):
                expect(leads_to).to_be_visible(timeout=20_000)
                return
            page.keyboard.press("Escape")
        expect(leads_to).to_be_visible()

    def choose(self, page: Page, label: str, option: str | re.Pattern[str]) -> None:
        """Choose from a list. A click while it is still unfolding is not taken, on a busy machine: then it stays open, and is clicked again."""
        page.get_by_label(label, exact=True).click()
        unfolded = page.locator(".ant-select-dropdown:not(.ant-select-dropdown-hidden)")
        for _ in range(10):
            unfolded.locator(".ant-select-item-option", has_text=option).click()
            with suppress(AssertionError):
                expect(unfolded).to_have_count(0, timeout=3000)
                return
        expect(unfolded).to_have_count(0)

    def wait_for_time(self, page: Page, time_s: float) -> None:
        """Until the stage shows this moment, with the stock of it."""
        page.wait_for_function(
            "t => { const { time, missing } = document.querySelector('[data-testid=stage]').dataset;"
            " return Math.abs(Number(time) - t) < 0.5 && missing === '0'; }",
            arg=time_s, timeout=60_000,
        )  # fmt: skip

    def seen_from_top(self, page: Page, ask: Callable[[], None], seen: Seen) -> None:
        """Ask for the view from the top until the stage has drawn it: the bodies that it goes by may still be coming."""
        x, y, z = seen.middle
        for _ in range(20):
            ask()
            with suppress(TimeoutError):
                page.wait_for_function(
                    "to => { const at = document.querySelector('[data-testid=stage]').dataset.eye.split(' ').map(Number);"
                    " return Math.hypot(...at.map((a, i) => a - to[i])) < 2; }",
                    arg=[x, y, z + seen.away], timeout=3000,
                )  # fmt: skip
                return
        self.fail(
            f"seen from {page.get_by_test_id('stage').get_attribute('data-eye')}, not from {seen.away:.1f} above {seen.middle}"
        )

    def click_on(self, page: Page, x: float, y: float, z: float, seen: Seen) -> None:
        """Click where a point of the machine's frame is, in the view from the top."""
        stage = page.get_by_test_id("stage").bounding_box()
        assert stage
        scale = stage["height"] / 2 / ((seen.away - (z - seen.middle[2])) * math.tan(math.radians(HALF_VIEW_DEG)))
        page.mouse.click(
            stage["x"] + stage["width"] / 2 + scale * (x - seen.middle[0]),
            stage["y"] + stage["height"] / 2 - scale * (y - seen.middle[1]),
        )
