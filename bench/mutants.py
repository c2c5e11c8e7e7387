"""`./mirror bench mutants`: bugs planted in our own code, one at a time; each must turn a test red.

A mutant is a line of the code changed into a wrong one, in a copy of the core or of the server; the tests named beside it are run on that copy. One that
stays green is a hole in the tests and ends the bench with status 1.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

from ops import services

ROOT = Path(__file__).resolve().parent.parent
MOST_SECONDS = 900  # tests that a bug keeps from ending have found it


@dataclass(frozen=True)
class Mutant:
    name: str
    file: str  # below core/bluntmirror, or server
    old: str
    new: str
    tests: str  # modules or tests, blank-separated


MUTANTS = [
    Mutant("parts of pairs are put together as they were followed", "rehearsal/from_both_ends.py", "[found[i] for i in range(len(pairs))]",
           "list(found.values())", "tests.test_both_ends"),
    Mutant("what another worker cut of a rehearsal is told as an earlier one's", "rehearsal/cutting.py", "        self.result.resumed.clear()\n", "",
           "tests.test_both_ends"),
    Mutant("a film has moments of what was found while stocks were cut", "rehearsal/cutting.py", "        made.moments = self.moments", "        pass",
           "tests.test_both_ends"),
    Mutant("a bore between the rays is judged by what may be gouged", "material/hidden.py", "np.where(across < 0.0, gouge, excess)", "gouge",
           "tests.test_hidden"),
    Mutant("the sides of a low step are a detail", "material/hidden.py", " & (np.abs(across) <= most)", "", "tests.test_hidden"),
    Mutant("any face nearby tells of a detail", "material/hidden_kernel.py", "if seen[a, b, c] & alike[kinds[i]]:", "if seen[a, b, c]:",
           "tests.test_hidden"),
    Mutant("a cutter of several parts is as deep as its longest", "material/turning_kernel.py",
           "                            taken[entry, 1] = max(taken[entry, 1], lost[ray])\n", "", "tests.test_engagement.AnySide"),
    Mutant("a cutter between two columns may cut into the design", "material/corners.py", "* step + slack + gouge", "* step - slack + gouge",
           "tests.test_corners.Twin"),
    Mutant("a drill makes corners", "material/corners.py", "if cutter.plunges else ~some", "if False else ~some", "tests.test_corners.Pockets"),
    Mutant("what never was there could not be taken", "rehearsal/corners.py", "self.blank.distance(points) < 0.0", "self.blank.distance(points) < 99.0",
           "tests.test_corners.InAJob"),
    Mutant("a quick look keeps what the coarse grid told of a motion", "rehearsal/quick.py", "        known[rows] |= answer.depth > 0.0", "        pass",
           "tests.test_quick"),
    Mutant("a quick look cuts only the bricks that something was found in", "material/region.py", "_grown(bricks))", "bricks)",
           "tests.test_quick"),
    Mutant("a quick look is clear", "rehearsal/replaying.py", "    if quick:\n        tell_of", "    if False:\n        tell_of", "tests.test_quick"),
    Mutant("a driven tool's distance from the axis runs straight", "rehearsal/rings.py",
           "    count = np.maximum(np.where(stand == OUTWARDS, 1.0, straight), along)", "    count = along", "tests.test_driven"),
    Mutant("what the tool did not pass at a stand is between its ends all the same", "material/turned_sweep_kernel.py",
           "                elif side == 0 or not _surely_missed(ro, rc, length, qe, qq, h, along):\n                    above",
           "                elif side == 0:\n                    above", "tests.test_turning.TurnedSweeps"),
    Mutant("what comes after a checkpoint is any brick of an earlier run, however it looks", "material/film.py",
           "self.packed_before.get((brick, look))", "next((d for (b, _), d in self.packed_before.items() if b == brick), None)",
           "tests.test_checkpoints"),
    Mutant("a pose is left out whatever rests on it", "remedies/kinds/poses.py", "if said <= anew and _only_moves", "if _only_moves",
           "tests.test_remedies.OfArms"),
    Mutant("a pose goes on along its tool, not back", "remedies/kinds/poses.py",
           "return values / size if", "return -values / size if", "tests.test_remedies.OfArms"),
    Mutant("what a level pass takes from above is not the pass's own", "material/cut_kernel.py",
           "hi[last], tag_hi[last] = low, tag\n                    tops", "hi[last] = low\n                    tops", "tests.test_twins.Cut"),
    Mutant("a drill that reaches an interval's end parts it all the same", "material/cut_kernel.py",
           "if keeps and keep_low and keep_high and count < capacity", "if keeps and keep_low and count < capacity", "tests.test_twins.Cut"),
    Mutant("a gap that grows wider keeps its far side", "material/cut_kernel.py",
           "if met_at < last and b > lo[met_at + 1]:", "if False:", "tests.test_twins.Cut"),
    Mutant("what a tool meets above where it has been is left out", "material/cut_kernel.py", "new_low = there_high", "new_low = high",
           "tests.test_section.UpAndDown"),
    Mutant("what a tool meets below where it has been is left out", "material/cut_kernel.py", "new_high = there_low", "new_high = low",
           "tests.test_section.UpAndDown"),
    Mutant("contact with stock adds to what stood there", "material/cut_kernel.py", "result[entry, kind, field] = 0.0",
           "result[entry, kind, field] += 0.0", "tests.test_section"),
    Mutant("a miss is taken for convex where the tool turns", "material/turned_sweep_kernel.py",
           "2.0 * (mm - _bent(slabs, s, ways, turns, motion, most)) > most", "2.0 * mm > most", "tests.test_turning.TurnedSweeps"),
    Mutant("a row of two runs is taken for one piece", "material/comparison.py", "and (begins[rows] == 1).all()", "and True",
           "tests.test_twins"),
    Mutant("a checkpoint leaves out a tile", "material/stock.py", 'np.flatnonzero(taken[:, 0] > 0.0), side="right") - 1] = True',
           'np.flatnonzero(taken[:, 0] > 0.0), side="right") - 2] = True', "tests.test_checkpoints"),
    Mutant("contact goes on from other bodies' margins", "rehearsal/remembering.py", "                if id(body) not in told:",
           "                if False:", "tests.test_checkpoints"),
    Mutant("an edge is better than it is", "material/comparison.py", "    amount = np.minimum(sign * solid.distance(edges.points),",
           "    amount = np.minimum(0.9 * sign * solid.distance(edges.points),", "tests.test_accuracy.Deviations.test_an_edge"),
    Mutant("how far out an edge can stand is not bounded", "material/comparison.py", "edges.outreach * faces)", "9.0 * faces)",
           "tests.test_accuracy.Deviations.test_a_slanted_face"),
    Mutant("a rounded cutter leaves sharp inner edges", "material/sharp.py", "    if not outer and keen is not None:", "    if False:",
           "tests.test_accuracy.Deviations.test_an_inner_edge_of_a_rounded_cutter"),
    Mutant("an edge of a round face is none", "material/sharp.py", "(least >= ACROSS)", "(least >= KNOWN)",
           "tests.test_accuracy.Deviations.test_an_edge_of_a_round_face"),
    Mutant("a motion cuts over its whole way", "rehearsal/cutting.py", "share * seconds, share * across", "seconds, across",
           "tests.test_engagement"),
    Mutant("what has been cut counts as never touched", "material/compare_kernel.py", "< hi[k] and tag_hi[k] == -1:", "< hi[k]:",
           "tests.test_part.Differences"),
    Mutant("measure: the other side of a thin wall counts as its own", "material/ends.py", "self.outward @ face.normal > SQUARE",
           "self.outward @ face.normal > -2.0", "tests.test_measures"),
    Mutant("measure: a wall is as thick as it is at first", "material/measures.py", "int(np.argmin(np.where(fits, thick, np.inf)))",
           "int(np.flatnonzero(fits)[0])", "tests.test_measures"),
    Mutant("measure: what runs into a face belongs to it", "material/ends.py",
           "rows[off <= max(SMOOTH_MM, ROUGH * float(np.median(off)))]", "rows", "tests.test_measures"),
    Mutant("measure: a face of the design takes in what borders on it", "material/ends.py", "        inner = rows[from_border > margin]",
           "        inner = rows", "tests.test_measures"),
    Mutant("measure: beyond its tolerance only upwards", "rehearsal/result.py", "max(low - self.off, self.off - high)", "self.off - high",
           "tests.test_files.Inches"),
    Mutant("measure: two out of tolerance are one cause", "findings/identity.py", '        said = item.message.partition(": ")[0]', '        said = ""',
           "tests.test_measures"),
    Mutant("film: bricks that border part by a quantum", "material/brick_file.py", "np.rint((vertices - origin) / step * QUANTA).astype(np.int64)",
           "np.floor((vertices - origin - first * step) / step * QUANTA).astype(np.int64) + first * QUANTA", "tests.test_part.Differences"),
    Mutant("a block counts as full that hardly is", "material/volume_kernel.py", "beyond = -HAIR * step if", "beyond = -0.004 * step if",
           "tests.test_accuracy.Volumes"),
    Mutant("a tile counts as full where one of its rays is", "material/volume_kernel.py", "if covered[block] == rays:",
           "if covered[block] > 0:", "tests.test_accuracy tests.test_twins"),
    Mutant("a torus is left where its slope is not yet zero", "material/sweep_kernel.py", "        if abs(t - last) * length < CLOSE_MM:", "        if True:",
           "tests.test_kernels.Sweeps"),
    Mutant("what turning took is never laid on the rays", "material/section.py", "            while len(active):\n                whole",
           "            while False:\n                whole", "tests.test_section tests.test_lathe"),
    Mutant("an end keeps the motion that came last", "material/section_kernel.py", "        if owed[line, end, 0] <= low:",
           "        if owed[line, end, 0] < low - 1.0:",
           "tests.test_section"),
    Mutant("the work is moved and its offsets stay", "rehearsal/best_stand.py", "elif offset.mount == name:", "elif False:", "tests.test_arms.BestStand"),
    Mutant("a stand past a limit is as good as any", "rehearsal/best_stand.py", "left.amount < floors[key]", "False", "tests.test_arms.BestStand"),
    Mutant("what came near before counts for every operation", "rehearsal/reaching.py", "np.searchsorted(middle, moments)", "(0, len(middle))",
           "tests.test_arms.Clearances"),
    Mutant("a kept pose is written in millimetres into a program in inches", "export/poses.py", ".inch else 1.0", ".inch and False else 1.0",
           "tests.test_arms.KeptPoses"),
    Mutant("a peck is only asked where it ends", "material/cut_kernel.py", "                cut_z, cut_dz = there_low, low - there_low",
           "                cut_z, cut_dz = low, 0.0",
           "tests.test_section.UpAndDown"),
    Mutant("what met stock once counts as free of it", "material/cut_kernel.py", "there = tool if upright and not met_stock[entry] else -1",
           "there = tool if upright else -1", "tests.test_section.UpAndDown"),
    Mutant("a corner is stood at its two ends alone", "material/turned_sweep_kernel.py", "        for k in range(poses + 1):",
           "        for k in range(0, poses + 1, max(poses, 1)):",
           "tests.test_turning.TurnedSweeps"),
    Mutant("an end may lie anywhere between its poses", "material/turned_sweep_kernel.py", "> SURE_MM:\n                sure = False",
           "> 9.0:\n                sure = False",
           "tests.test_turning.TurnedSweeps"),
    Mutant("the middle of a face always cuts", "tools/assembly.py", "        core=core_radius(cutter),", "        core=0.0,", "tests.test_cutters.Plunges"),
    Mutant("a tapered ball is no ball", "tools/cutters.py", "    low = corner * (1.0 - math.sin(math.radians(cutter.angle)))", "    low = corner",
           "tests.test_cutters.Outlines"),
    Mutant("lengths that may be left out stay inches", "job/models.py", "LENGTH in info.metadata or marked(info.annotation)",
           "LENGTH in info.metadata", "tests.test_contract.Inches"),
    Mutant("which side of an edge a ray passes is rounded", "material/ray_kernel.py", "    if abs(value) > SIDE_SURE * (abs(left) + abs(right)):",
           "    if True:", "tests.test_twins.Solids"),
    Mutant("tip control is always over the first spindle's work", "program/control.py", "            self.works = name\n", "            pass\n",
           "tests.test_channels.SwivellingHead"),
    Mutant("a slide beside X Y Z goes back to zero under tip control", "machine/tip.py", "        if not len(self._slides):", "        if True:",
           "tests.test_kinematics.Inverse"),
    Mutant("who cut what is lost between steps", "rehearsal/routing.py", "    job.cut_before = {key: item.cut for key, item in taken.items()}\n", "",
           "tests.test_route.Routes.test_who_cut_what_comes_along_through_every_step"),
    Mutant("a piece stays where it was when the hand's grip takes it", "rehearsal/handling.py", "        if link == self.link:\n            return self",
           "        if True:\n            return self", "tests.test_setup.GripsByHand"),
    Mutant("a ring is asked about where none stands", "material/ring_kernel.py", "                    if abs(lateral) >= ring[1]:",
           "                    if abs(lateral) >= ring[0]:", "tests.test_lathe"),
    Mutant("code of two compilers under one name", "compiled.py", "{uuid.uuid4().hex}", "1", "tests.test_compiled"),
    Mutant("a spindle is always at its speed", "program/acts.py", "abs(speed - running.get(name, 0.0)) / ramp", "abs(speed) / ramp",
           "tests.test_times.Operations.test_a_spindle_that_runs_up_and_coolant_take_what_the_machine_says"),
    Mutant("a body that is moved goes along the link's axes", "export/seen.py", "frame(mount.at, mount.turn)[:3, :3] @ way", "way",
           "tests.test_remedies.PlantedFaults.test_what_is_seen_of_a_change"),
    Mutant("nobody waits for anybody", "timeline/clock.py", "            late[channel] += last - arrival[channel]", "            pass",
           "tests.test_channels.Clock"),
    Mutant("a change of hands does not keep the place", "machine/placement.py", "        row = values[None]", "        row = 0.0 * values[None]",
           "tests.test_holding.HandOver"),
    Mutant("what is cut off stays with what it was", "rehearsal/holding.py", "        if not found.loose:", "        if True:",
           "tests.test_holding.Parting"),
    Mutant("a delay counts from the wrong end", "rehearsal/timing.py", "        return max(0.0, v0 - u1, u0 - v1)", "        return max(0.0, v1 - u0, u1 - v0)",
           "tests.test_channels.AnyTiming"),
    Mutant("wait marks are never asked", "rehearsal/run.py", "    check_waits(waits, left, docket)\n", "", "tests.test_check"),
    Mutant("places of findings are the origin", "rehearsal/travel.py", "    return float(x), float(y), float(z)", "    return 0.0, 0.0, 0.0",
           "tests.test_places"),
    Mutant("contacts lie at the origin", "contact/program.py", "        return float(x), float(y), float(z)", "        return 0.0, 0.0, 0.0",
           "tests.test_places"),
    Mutant("still time has no segments", "timeline/reel.py", "moving | np.isin(motions.kind, STILL)", "moving", "tests.test_nothing_missed"),
    Mutant("phases without a move get no segment", "timeline/reel.py", "        if (knots.phase == phase).any():", "        if True:",
           "tests.test_nothing_missed"),
    Mutant("spinning stock counts as it stands", "rehearsal/entering.py", "        if not swept:\n            if known",
           "        if True:\n            if known", "tests.test_nothing_missed.Spinning"),
    Mutant("stocks do not meet", "rehearsal/entering.py", "+ stocks[stocks.index(stock) + 1 :]", "", "tests.test_nothing_missed.StocksMeet"),
    Mutant("M6 leaves the spindle turning", "program/acts.py", "        control.spindle = 0  # it is oriented", "        pass  # it is oriented",
           "tests.test_language"),
    Mutant("a missing end is passed over", "program/calls.py", "            self._no_end()\n", "            pass\n", "tests.test_contract.Unreadable"),
    Mutant("a rehearsal in part is clear", "rehearsal/run.py", "    check_partial(result)\n", "", "tests.test_nothing_missed.NotAsItWouldRun"),
    Mutant("registers are never held against tools", "rehearsal/run.py", "        check_registers(strand)\n", "",
           "tests.test_nothing_missed.Registers"),
    Mutant("a search on a ray does not know which way a meeting lies", "material/pose_kernel.py", "    return max(least, 1e-12)", "    return 1.0",
           "tests.test_turning.TurnedSweeps"),
    Mutant("a body that has gone is still there", "timeline/steps.py", " & (last is None or self.phase.each < last)", "",
           "tests.test_turning.StepFunctions"),
    Mutant("a cycle's repeats are cut short", "program/cycles.py", "        if done >= hole.repeats:", "        if done >= min(hole.repeats, 5):",
           "tests.test_mill"),
    Mutant("the blank is never held against the design", "rehearsal/comparing.py", "    if len(comparison.lacking):", "    if False:",
           "tests.test_nothing_missed.Blanks tests.test_part.OnTheMachine"),
    Mutant("the first end of a ray only", "material/stock.py", "        for k in range(int(count.max(initial=0))):",
           "        for k in range(min(64, int(count.max(initial=0)))):", "tests.test_nothing_missed.Rays"),
    Mutant("checkpoints of any build are trusted", "rehearsal/checkpoints.py", "hashlib.blake2b(code_digest().encode(), digest_size=20)",
           "hashlib.blake2b(digest_size=20)", "tests.test_checkpoints"),
    Mutant("judgements slide to the next finding", "findings/identity.py", "    return (ranked[0], True) if same_block or same_place else (None, False)",
           "    return ranked[0], False", "tests.test_identity"),
    Mutant("rapid is as good as feed", "rehearsal/segments.py", "        rapid = motions.kind[self.motion] == RAPID",
           "        rapid = np.zeros(len(self.motion), np.bool_)", "tests.test_contract"),
    Mutant("a change that cuts less is a remedy", "remedies/trying.py", "            leaves = self.leaves_more(outcome)", "            leaves = False",
           "tests.test_remedies.PlantedFaults.test_a_cut_that_is_lifted_away_is_no_remedy"),
    Mutant("offers are not held against what they bring", "remedies/trying.py", "            bad = [item for item in became.come if _as_bad(item, finding)]",
           "            bad = []", "tests.test_remedies"),
    Mutant("edits of one change slide", "remedies/change.py", "pair[1].old is not None, pair[0]), reverse=True", "pair[1].old is not None, pair[0])",
           "tests.test_remedies.Changes"),
    Mutant("a change is rehearsed in other units than it is kept in", "remedies/change.py", "round(value.new / INCH_MM, INCH_DECIMALS) if inch else value.new",
           "value.new", "tests.test_remedies.Changes"),
    Mutant("the few rays that a deep body is asked on are others", "material/comparison.py",
           "(first + 0.5 - 0.5 * every) * lattice.step", "(first - 0.5 * every) * lattice.step", "tests.test_twins.FewerRays"),
    Mutant("inches turn angles too", "job/models.py", "value * factor if axis in linear else value for axis", "value * factor for axis",
           "tests.test_files tests.test_machine tests.test_places"),
    Mutant("tolerance: what others have cut stays where it is", "tolerance/material.py", "            if len(its):  #", "            if False:  #",
           "tests.test_tolerance.TestBounds.test_closed_forms_of_boxes"),
    Mutant("tolerance: a tool's own cut stays behind", "tolerance/material.py", "sign * (b - a) for a in mine", "sign * -a for a in mine",
           "tests.test_tolerance.TestBounds.test_closed_forms_of_boxes tests.test_tolerance.TestBounds.test_nothing_happens_inside_and_something_just_beyond"),
    Mutant("tolerance: steps are longer than the clearance allows", "tolerance/touching.py", "amount += CERTAIN * margin.clearance / rate",
           "amount += 1.4 * margin.clearance / rate", "tests.test_tolerance.TestBounds.test_closed_forms_of_boxes"),
    Mutant("tolerance: a gouge within its tolerance counts", "tolerance/material.py", "self.tolerance = result.job.file.checks.gouge",
           "self.tolerance = 0.0", "tests.test_tolerance.TestBounds.test_closed_forms_of_boxes"),
    Mutant("a run with a film goes on from one without", "rehearsal/resuming.py", "(_with_film(plain),) if film.runs else", "(plain,) if film.runs else",
           "tests.test_checkpoints"),
    Mutant("calibration: two constants that do the same are told apart", "rehearsal/calibrating.py", "if len(told) > 1 and (len(sizes)",
           "if len(told) > 9 and (len(sizes)", "tests.test_calibrating"),
    Mutant("arm: the elbow bends the other way", "machine/arm_kernel.py", "turned = (bend if s3 == 0 else -bend)", "turned = (bend if s3 == 0 else bend)",
           "tests.test_arms.Inverse.test_closed_form_and_back_on_many_poses"),
    Mutant("arm: spin is left-handed", "machine/arm.py", "result[:, :3, 0] = np.cos(angle) * poses[:, :3, 0] + np.sin",
           "result[:, :3, 0] = np.cos(angle) * poses[:, :3, 0] - np.sin", "tests.test_arms.Inverse.test_spin_counts_from_x_and_near_it_from_y"),
    Mutant("arm: a joint may jump a whole turn in a cut", "machine/choosing_kernel.py", "if turn < -1 or turn > 1 or place[j, turn + 1] < 0:",
           "if turn < -1 or turn > 1:", "tests.test_arms.Choosing tests.test_arms.Postures"),
    Mutant("arm: the way is chosen pose by pose", "machine/choosing_kernel.py", "total = base + own +", "total = 0.0 * base + own +",
           "tests.test_arms.Choosing"),
    Mutant("arm: the tip cuts corners", "rehearsal/arms.py", "np.maximum(tip / TIP_MM, gauge / GAUGE_MM)", "0.0 * tip",
           "tests.test_arms.Moves.test_the_tip_keeps_to_its_line_and_the_direction_to_the_great_circle"),
    Mutant("arm: what hangs in the rack is not there", "contact/program.py", "found = found & ~self.standing.in_use(body.resting)",
           "found = found & False", "tests.test_arms.Racked"),
    Mutant("arm: a tool may be taken anywhere", "rehearsal/rack.py", "PLACE_MM, PLACE_DEG = 0.5, 0.5", "PLACE_MM, PLACE_DEG = 500.0, 500.0",
           "tests.test_arms.Racked"),
    Mutant("arm: low is low wherever it is", "rehearsal/order.py", "self.away[self.at(motion)] > self.lengths[tool]", "False",
           "tests.test_arms.Standing.test_low_beside_the_work_is_judged_along_the_tool"),
    Mutant("arm: frames of a URDF are not turned", "job/urdf.py", "            if any(roll):", "            if False:", "tests.test_arms.Drawn"),
    Mutant("picture: what is behind is in front", "export/picture_kernel.py", "if z > depth[y, x]:", "if z > -1e18:", "tests.test_picture"),
]  # fmt: skip


SERVER = [
    Mutant("server: calls are asked of nobody", "mirror/rights.py", "operation.auth_callbacks = [Needs(name)]", "pass", "tests.test_rights"),
    Mutant("server: a clock that was set ends what runs", "jobs/pulse.py", "    return now - since > settings.LOST_AFTER_SECONDS",
           "    return row.heartbeat.timestamp() < time.time() - 20", "tests.test_server.Server"),
    Mutant("server: a heartbeat is not listened to", "jobs/pulse.py", " or beat != row.heartbeat:", ":", "tests.test_server.Server"),
    Mutant("server: what is thrown away is still there", "jobs/basket.py", "organisation=organisation, thrown_as=0)", "organisation=organisation)",
           "tests.test_basket"),
    Mutant("server: whoever made it throws away what is released", "jobs/basket.py", "if signed.exists():", "if False:", "tests.test_basket"),
    Mutant("server: nobody administers any more", "accounts/people.py", "if not others.exclude(pk=member.pk).exists():", "if False:", "tests.test_people"),
    Mutant("server: a second factor is not asked for", "mirror/door.py", "if second.needed(user):\n        if not body", "if False:\n        if not body",
           "tests.test_people"),
    Mutant("server: a provider lets in past a second factor", "mirror/door.py", "if second.needed(user):\n        request", "if False:\n        request",
           "tests.test_elsewhere"),
    Mutant("server: a token for somebody else lets in", "accounts/elsewhere.py", "aud={\"essential\": True, \"value\": client},",
           "aud={\"essential\": True},", "tests.test_elsewhere"),
    Mutant("server: a token of another sign-in lets in", "accounts/elsewhere.py", "nonce={\"essential\": True, \"value\": nonce},", "", "tests.test_elsewhere"),
    Mutant("server: an address that nobody verified lets in", "accounts/elsewhere.py", "claims.get(\"email_verified\") is not True", "False",
           "tests.test_elsewhere"),
    Mutant("server: an address with an accent is the one without", "accounts/elsewhere.py", " if user.email.casefold() == mail.casefold()", "",
           "tests.test_elsewhere"),
    Mutant("server: the record holds names", "jobs/record.py", "by=person(by)", "by=by.get_username()", "tests.test_people"),
    Mutant("server: first come, first served", "jobs/queueing.py", "(of_house[key[0]], last.get(key, 0.0), left[key][-1])", "left[key][-1]",
           "tests.test_queue"),
    Mutant("server: a database that is away is not waited for", "jobs/patience.py", "if time.monotonic() > until:", "if True:", "tests.test_queue"),
    Mutant("server: memory is not bounded", "jobs/bounds.py", "if memory_now() > settings.MOST_MEMORY:", "if False:", "tests.test_queue"),
    Mutant("server: whoever is signed out may send anything", "mirror/bodies.py", "most, taken, begun = SIGNED_OUT,", "most, taken, begun = 10**12,",
           "tests.test_signing_in"),
    Mutant("server: a check takes as long as it takes", "jobs/aside.py", "if time.monotonic() >= until:", "if time.monotonic() >= until + 120:",
           "tests.test_aside"),
    Mutant("server: a check holds what memory it likes", "jobs/aside.py", "if self._memory() > settings.MOST_CHECK_MEMORY:", "if False:",
           "tests.test_aside"),
    Mutant("server: one lost file hides every job", "jobs/routes.py", "    except (OSError, zipfile.BadZipFile, KeyError, ValueError) as error:",
           "    except MemoryError as error:", "tests.test_server.Server.test_a_file_lost_from_the_store_is_told_where_it_is_missed_and_hides_nothing_else"),
    Mutant("server: what an older build kept is shown as it is", "jobs/models.py", "return later | self.data", "return dict(self.data)",
           "tests.test_upgrading"),
    Mutant("server: a step's stock is what the one before leaves now", "jobs/routes.py",
           "source = rehearsal.sources.filter(revision__job=steps[step].job).first() if step in steps else None",
           "source = fresh(newest(steps[step].job)) if step in steps else None", "tests.test_routes"),
    Mutant("server: a tool goes along with the registers of another control", "jobs/crib.py", '("registers", "station",', '("station",',
           "tests.test_setups.Setups.test_a_tool_and_a_fixture_kept_found_and_brought_onto_another_setup"),
    Mutant("server: any one of the words will do", "jobs/crib.py", "if all(word in row", "if any(word in row",
           "tests.test_setups.Setups.test_a_tool_and_a_fixture_kept_found_and_brought_onto_another_setup"),
    Mutant("server: a control says more than was changed", "jobs/controls.py", 'if differ("corner_seconds", "block_seconds"):', "if True:",
           "tests.test_setups.Setups.test_a_control_is_set_like_the_one_on_the_floor"),
    Mutant("server: the list is the one of before", "jobs/standing.py", '_told("incr", number)', "pass", "tests.test_server.Server"),
    Mutant("a key lets any number of workers join", "jobs/joining.py", "return told if queue().delete(_place(key)) else None", "return told",
           "tests.test_joining.Joining"),
    Mutant("a route is seen at every site", "jobs/seen.py", "return rows.exclude(steps__job__in=elsewhere)", "return rows", "tests.test_sites"),
    Mutant("the same files find a job of another site", "jobs/services.py", "        if member and not parent:", "        if False:",
           "tests.test_sites"),
    Mutant("somebody of a site reads the whole record", "jobs/record.py", "    if member is not None and member.site_id:", "    if False:",
           "tests.test_sites"),
    Mutant("an empty place is taken for the store", "jobs/store.py", "        elif not os.path.exists(os.path.join(self.location, MARK)):",
           "        elif False:", "tests.test_store"),
    Mutant("stretches of a bucket that were fetched as one are given as one", "jobs/bucket.py",
           "found[stretch][begin - stretch[0] : end - stretch[0]]", "found[stretch]", "tests.test_store"),
    Mutant("a store that is away fails a rehearsal", "jobs/patience.py", "(OperationalError, InterfaceError, Away)",
           "(OperationalError, InterfaceError)", "tests.test_store"),
    Mutant("a hand's helper that ended is believed to hold what it held", "jobs/aside.py", "        self.held.clear()", "        pass",
           "tests.test_aside"),
    Mutant("whoever helps does not give way", "jobs/tasks.py", "or queueing.in_order() or bounds", "or bounds", "tests.test_joining.Helping"),
]  # fmt: skip


def mutants(names: list[str]) -> int:
    """Run all mutants, or those whose names hold one of the words. Returns the exit status."""
    chosen = [m for m in MUTANTS + SERVER if not names or any(name in m.name for name in names)]
    alive = []
    with tempfile.TemporaryDirectory(prefix="mirror-mutants-") as folder:
        place = Path(folder)
        for part in ("core", "server"):
            shutil.copytree(ROOT / part, place / part, ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
        for beside in ("docs", "demo", "ops", "web"):  # that tests read
            (place / beside).symlink_to(ROOT / beside)
        env = os.environ | {
            "PYTHONPATH": f"{place / 'core'}{os.pathsep}{ROOT}",
            "NUMBA_CACHE_DIR": str(place / "kernels"),
        }
        serving: dict[str, str] = {}
        children = services.Children(place / "log")
        try:
            if any(m in SERVER for m in chosen):
                ports = [services.free_port() for _ in range(3)]
                services.begin_database(children, place / "var", ports[1])
                services.begin_queue(children, place / "var", ports[2])
                paths = os.pathsep.join(
                    map(str, (place / "server", ROOT / "core", ROOT))
                )  # of the core it takes what is compiled
                serving = services.app_environment(place / "var", *ports) | {"PYTHONPATH": paths}
            return _found(chosen, alive, place, env, serving)
        finally:
            children.stop()


def _found(chosen: list[Mutant], alive: list[Mutant], place: Path, env: dict[str, str], serving: dict[str, str]) -> int:
    def red(mutant: Mutant) -> str:
        """What the tests say when they fail on the copy, "" when they pass."""
        if mutant in SERVER:
            command = [sys.executable, "server/manage.py", "test", "--noinput", "--failfast", *mutant.tests.split()]
        else:
            command = [sys.executable, "-m", "unittest", "-f", *mutant.tests.split()]
        at, with_ = (place, serving) if mutant in SERVER else (place / "core", env)
        try:
            ended = subprocess.run(command, cwd=at, env=with_, capture_output=True, text=True, timeout=MOST_SECONDS)
        except subprocess.TimeoutExpired:
            return f"not done after {MOST_SECONDS} s"
        return ended.stderr[-600:] or "failed" if ended.returncode else ""

    # A test that is red without any bug would find every one.
    for mutant in {m.tests: m for m in chosen}.values():
        if said := red(mutant):
            print(f"RED    without a bug: {mutant.tests}\n{said}")
            return 1
    for mutant in chosen:
        file = place / ("server" if mutant in SERVER else "core/bluntmirror") / mutant.file
        text = file.read_text()
        if text.count(mutant.old) < 1:
            print(f"STALE  {mutant.name}: {mutant.file} no longer has the line", flush=True)
            alive.append(mutant)
            continue
        file.write_text(text.replace(mutant.old, mutant.new))
        found = red(mutant)
        file.write_text(text)
        print(f"{'red  ' if found else 'GREEN'}  {mutant.name}", flush=True)
        if not found:
            alive.append(mutant)
    print(f"{len(chosen) - len(alive)} of {len(chosen)} planted bugs were found")
    return 1 if alive else 0
