"""Every rule of the program check, by its own example: the rule and nothing else is found, and nothing in the better way."""

import unittest

from bluntmirror.findings import RULES, Policy
from bluntmirror.job.models import MachineCode

from .language import lathe, mill, read

CLAMPS = {"M10": MachineCode(does="clamp", axis="A"), "M11": MachineCode(does="unclamp", axis="A")}


def found_by(rule_id: str, text: str, policy: Policy | None = None):  # type: ignore[no-untyped-def]
    rule = RULES[rule_id]
    if rule.dialect == "iso-turn":
        setup = lathe()
    else:
        changes = {}
        if "AXIS A" in rule.head:
            changes = {"axes": ("X", "Y", "Z", "A"), "codes": CLAMPS}
        if "CHANGE AT" in rule.head:
            changes = {"change_at": {"Z": 0.0}}
        setup = mill(max_blocks=2000, **changes)
    ended = "M30" in text
    found = read(setup, rule.head + text + ("\n" if ended else "\nM30\n"), policy=policy)[2]
    begin = rule.head.count("\n")
    return [(f.rule, f.line - begin) for f in found], found


class Rules(unittest.TestCase):
    def test_each_finds_its_own_example_and_only_that(self) -> None:
        for rule in RULES.values():
            if not rule.example:
                continue  # needs the work as well; see test_kinds and test_check
            with self.subTest(rule.id):
                self.assertEqual([name for name, _ in found_by(rule.id, rule.example)[0]], [rule.id])
                self.assertEqual(found_by(rule.id, rule.better)[0], [])

    def test_each_names_its_kind_and_a_remedy(self) -> None:
        for rule in RULES.values():
            with self.subTest(rule.id):
                self.assertTrue(rule.remedy and rule.meaning and rule.title)
                for item in found_by(rule.id, rule.example)[1] if rule.example else ():
                    self.assertEqual((item.kind, item.severity), (rule.kind, rule.severity))
                    self.assertTrue(item.remedy)

    def test_a_fix_clears_its_finding_and_brings_no_other(self) -> None:
        fixed = 0
        for rule in RULES.values():
            text = rule.head + rule.example + ("\n" if "M30" in rule.example else "\nM30\n")
            for item in found_by(rule.id, rule.example)[1] if rule.example else ():
                if item.fix is None:
                    continue
                with self.subTest(rule.id):
                    fixed += 1
                    lines = text.split("\n")
                    for edit in sorted(item.fix.edits, key=lambda e: -e.line):
                        if edit.old is None:
                            lines.insert(edit.line - 1, edit.new)
                        else:
                            self.assertEqual(lines[edit.line - 1], edit.old)
                            lines[edit.line - 1 : edit.line] = [] if edit.new is None else [edit.new]
                    mended = "\n".join(lines)[len(rule.head) :] if mended_head(rule, lines) else "\n".join(lines)
                    self.assertEqual(found_by(rule.id, mended)[0], [])
        self.assertGreater(fixed, 6)

    def test_rules_are_switched_and_made_stricter(self) -> None:
        text = RULES["word.idle"].example
        for setting, severities in (("off", []), ("stop", ["stop"]), ("caution", ["caution"])):
            found = found_by("word.idle", text, Policy({"word.idle": setting}))[1]
            self.assertEqual([f.severity for f in found], severities)

    def test_a_fixed_rule_stays(self) -> None:
        for setting in ("off", "caution"):
            found = found_by("arc.radii", RULES["arc.radii"].example, Policy({"arc.radii": setting}))[1]
            self.assertEqual([f.severity for f in found], ["stop"])


def mended_head(rule, lines) -> bool:  # type: ignore[no-untyped-def]
    return "\n".join(lines).startswith(rule.head)
