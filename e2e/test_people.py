"""People in the real interface: asked in, signed in with a second factor, without and with the right to release, and the record of it."""

import re
from urllib.parse import urlsplit

from playwright.sync_api import Page, expect, sync_playwright

from jobs.models import Revision
from jobs.services import take_in_path
from server.tests.rfc6238 import code_of

from .browser import CHROMIUM, FLAWED, LONG_MS, WithBrowser

CLEAR = FLAWED.parent / "1-as released"
NAME, PASSWORD = "joost", "spring-tide-4"


class People(WithBrowser):
    def test_asked_in_a_second_factor_and_the_right_to_release(self) -> None:
        take_in_path(*self.shop_and_user(), CLEAR, "as released")
        with sync_playwright() as driver:
            browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
            ines, joost = (browser.new_context(viewport={"width": 1280, "height": 800}).new_page() for _ in range(2))
            against: list[str] = []
            for page in (ines, joost):
                page.on(
                    "console",
                    lambda said: against.append(said.text) if "Content Security Policy" in said.text else None,
                )
            self.sign_in(ines)
            ines.get_by_role("link", name="People").click()
            ines.get_by_label("Address of whom to ask in").fill("joost@saltmarsh.example")
            ines.get_by_role("button", name="Ask somebody in").click()
            link = ines.locator(".secret code").inner_text()

            joost.goto(f"http://127.0.0.1:{self.port}{urlsplit(link).path}")
            expect(joost.get_by_text("ines asks you in to Saltmarsh Instruments")).to_be_visible()
            joost.get_by_label("The name you want here").fill(NAME)
            joost.get_by_label("A password of your own").fill("short")
            joost.get_by_role("button", name="Come in").click()
            expect(joost.get_by_role("alert")).to_contain_text("at least 10 characters")
            joost.get_by_label("A password of your own").fill(PASSWORD)
            joost.get_by_role("button", name="Come in").click()
            expect(joost.get_by_role("heading", name="Jobs")).to_be_visible()

            self.second_factor(joost)
            self.rehearse(joost)
            expect(joost.get_by_role("button", name="Release…")).to_have_count(0)
            answer = joost.request.post(
                f"http://127.0.0.1:{self.port}/api{urlsplit(joost.url).path}/release",
                data={"note": ""},
                headers=self.token(joost),
            )
            self.assertEqual(answer.status, 403, "nor by a call of one's own")

            ines.reload()
            ines.get_by_label(f"What {NAME} may").click()
            ines.locator(".ant-select-item-option", has_text="releases").click()
            expect(ines.get_by_role("row").filter(has_text=NAME)).to_contain_text("releases")

            joost.reload()
            joost.get_by_role("button", name="Release…").click()
            joost.get_by_label("Note").fill("by a second pair of eyes")
            joost.get_by_role("button", name=f"Sign as {NAME}").click()
            expect(joost.locator(".release-mark")).to_have_class(re.compile("stands"))

            ines.get_by_role("link", name="Record").click()
            for words in (
                f"{NAME} came in",
                f"{NAME} second factor",
                f"ines gave {NAME} releases",
                f"{NAME} released eyes",
            ):
                ines.get_by_label("Find in the record").fill(words)
                expect(ines.locator(".record tbody tr")).to_have_count(1)

            # What is released its signer does not throw away; another person does, and brings it back.
            self.throw_away(joost)
            expect(joost.locator(".ant-message")).to_contain_text("another person has to throw it away")
            self.walk(ines)
            self.assertEqual(against, [], "nothing in the pages goes against their policy")
            browser.close()

    def walk(self, page: Page) -> None:
        """Through every kind of screen."""
        revision = Revision.objects.order_by("pk").last()
        assert revision is not None
        for path, shows in (
            ("queue", "table, p.padded"), ("library", "main"), ("rules", "main"), ("access", "main"), ("account", "main"),
            (f"desks/{revision.pk}", ".cm-content"), (f"setups/{revision.pk}", "canvas"),
        ):  # fmt: skip
            page.goto(f"http://127.0.0.1:{self.port}/{path}")
            expect(page.locator(shows).first).to_be_visible(timeout=60_000)

    def second_factor(self, page: Page) -> None:
        """Set up, then asked for at the next sign-in."""
        page.get_by_role("link", name=NAME, exact=True).click()
        page.get_by_role("button", name="Set it up").click()
        secret = page.locator(".second code").inner_text()
        page.get_by_label("Code that the device shows").fill("000000")
        page.get_by_role("button", name="Turn on").click()
        expect(page.locator(".ant-message")).to_contain_text("does not hold")
        page.get_by_label("Code that the device shows").fill(code_of(f"otpauth://totp/x?secret={secret}"))
        page.get_by_role("button", name="Turn on").click()
        spare = page.locator(".secret code").inner_text().split()
        self.assertEqual(len(spare), 8)
        page.get_by_role("button", name="Sign out", exact=True).click()
        page.get_by_label("Name").fill(NAME)
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_label(re.compile("Code of your second factor")).fill(spare[0])
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Jobs")).to_be_visible()

    def rehearse(self, page: Page) -> None:
        row = page.get_by_role("row").filter(has_text="as released")
        row.get_by_role("button", name="Rehearse").click()
        expect(page.get_by_test_id("verdict")).to_contain_text("May run", timeout=LONG_MS)

    def throw_away(self, page: Page) -> None:
        page.get_by_role("button", name="All jobs").click()
        page.get_by_role("button", name=re.compile("More for .* revision 2")).click()
        page.get_by_role("menuitem", name="Throw the job away").click()

    def token(self, page: Page) -> dict[str, str]:
        cookies = {cookie.get("name"): cookie.get("value") for cookie in page.context.cookies()}
        return {"X-CSRFToken": str(cookies["csrftoken"]), "Origin": f"http://127.0.0.1:{self.port}"}
