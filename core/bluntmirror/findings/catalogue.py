"""The catalogue: every kind of finding, how bad it is by default, what it means and what usually puts it right."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Severity = Literal["stop", "caution"]


@dataclass(frozen=True)
class Kind:
    name: str
    severity: Severity
    title: str
    meaning: str
    remedy: str


_KINDS = [
    Kind("program.syntax", "stop", "Unreadable block",
         "A block that the reader cannot understand: a bad word, a bad number, an unclosed bracket or comment.",
         "Correct the block; the column shown is where reading stopped."),
    Kind("program.word", "caution", "Word not carried out",
         "A word or code that the dialect does not know, or two codes of one modal group in a block. A code that the "
         "trade knows but this version does not yet carry out is a stop: what follows it cannot be trusted.",
         "Remove or replace the word, or verify this stretch by other means."),
    Kind("program.arc", "stop", "Arc that does not close",
         "Start and end of an arc do not lie on one circle about its centre, or it has neither centre nor radius.",
         "Correct the end point, I J K or R; check the post's number of decimals."),
    Kind("program.call", "stop", "Call without a target", "A subprogram or jump target that does not exist.",
         "Add the subprogram to the job's library or correct the number."),
    Kind("program.macro", "stop", "Macro error",
         "A macro error: division by zero, a bad argument, a programmed alarm. As a caution: a vacant variable read "
         "in a sum, where it counts as 0.",
         "Set the variable before it is used, or correct the expression."),
    Kind("program.endless", "stop", "Endless program", "A loop or recursion without end, stopped at the limit.",
         "Give the loop an end, or raise the limit if the program is really that long."),
    Kind("program.compensation", "stop", "Cutter compensation not possible",
         "Cutter compensation that cannot be carried out: entry on an arc, an inside corner or gap smaller than the radius.",
         "Enter on a straight move longer than the radius; use a smaller cutter or register."),
    Kind("program.length", "stop", "Wrong or missing length offset",
         "Motion into the work with no length offset, or with another tool's, active.",
         "Call G43 with the H number of the tool in the spindle before the approach."),
    Kind("program.feed", "stop", "Cutting move without feed", "A cutting move while no feed has been set.",
         "Give an F word at or before this block."),
    Kind("program.offset", "caution", "Offset never set", "An offset or register is used that was never set.",
         "Enter the offset in the job, or correct the number."),
    Kind("program.tool", "stop", "Tool not available",
         "A tool that the table does not have, or a tool change away from the change position.",
         "Add the tool to the table, or correct T; go to the change position before M6."),
    Kind("program.order", "caution", "Unsafe order",
         "A tool change or a first approach low beside the work, or an end without a retract.",
         "Retract before the change and before the end."),
    Kind("program.wait", "stop", "Wait without a partner", "A wait mark that no other channel answers.",
         "Give the partner channel the same mark."),
    Kind("program.end", "stop", "No end of the program",
         "The program has no end (M2, M30 or M99), or breaks off in mid-block: most often a transfer that was cut short. As a "
         "caution: it comes to its end without having moved anything.",
         "Transfer the program again, or write its end."),
    Kind("program.speed", "caution", "Speed above the machine's", "A spindle speed that the machine does not reach.",
         "Lower S, or choose a machine with a faster spindle."),
    Kind("program.spindle", "caution", "Spindle not as it should be",
         "A tool is moved at feed while no spindle turns, or at a speed that was never given.",
         "Start the spindle, with its speed, before the tool goes to work."),
    Kind("program.thread", "caution", "Thread with a wrong pitch",
         "A thread whose pitch is not kept: too short a run-in, a spindle speed that changes, a lead that shrinks to nothing.",
         "Begin farther off, lower the speed, or cut it at a fixed speed."),
    Kind("program.data", "caution", "Cutting data beyond the tool's",
         "Surface speed or feed per tooth beyond the tool's limits, or a tapping feed that is not the tap's pitch.",
         "Change S or F; the remedy names the value."),
    Kind("travel.over", "stop", "Overtravel", "An axis past its travel.",
         "Shift the work or its offset by the amount shown, shorten the move, or use a shorter tool."),
    Kind("travel.reach", "stop", "Pose out of reach", "A commanded pose that the chain cannot reach.",
         "Place the work elsewhere or change the tool's direction."),
    Kind("travel.singular", "caution", "Near a singularity", "An axis would have to outrun its speed.",
         "Tilt the work or lower the feed."),
    Kind("travel.speed", "caution", "Feed not kept",
         "Under tip control an axis cannot run fast enough for the feed asked for: the control lowers it to less than half.",
         "Lower the feed here, or turn the tool less over this stretch."),
    Kind("travel.rewind", "caution", "Rewinds in the cut",
         "A rotary axis turns most of the way round within one cutting move, while the tool's direction hardly changes.",
         "Retract, turn the axis back in the air and go in again; or begin where the axis has room for the whole path."),
    Kind("contact.body", "stop", "Collision", "Two bodies touch.",
         "Move the body, lengthen the stick-out, or raise the move by the depth shown."),
    Kind("contact.near", "caution", "Too close", "Two bodies come closer than the clearance asked for.",
         "Make room, or accept the margin with a reason."),
    Kind("contact.rapid", "stop", "Rapid through stock", "The cutter enters stock in a rapid move.",
         "Raise the rapid above the stock, or make it a feed move."),
    Kind("contact.shank", "stop", "Holder, shank or machine in stock",
         "A non-cutting part of the tool or of the machine meets stock.",
         "Lengthen the stick-out by the depth shown, use a slimmer holder, or remove the stock first."),
    Kind("contact.still", "stop", "Cutting with the spindle still",
         "The cutter is in stock while the spindle stands or turns the wrong way.",
         "Start the spindle in the cutter's direction before this block."),
    Kind("material.gouge", "stop", "Gouge", "More than the tolerance was removed inside the design.",
         "Check tool, registers and path at the line shown."),
    Kind("material.excess", "caution", "Material left", "More than the tolerance is left on the design at the end.",
         "Add a pass here, or check that the operation reaches it."),
    Kind("material.depth", "caution", "Deeper than the flutes", "Engaged deeper along the axis than the flutes are long.",
         "Use a longer cutter, or take the cut in levels with a relieved neck."),
    Kind("material.plunge", "caution", "Its middle does not cut",
         "A tool whose face does not cut in the middle goes down into material there: a mill with an open centre, a tap or a reamer "
         "without its hole.",
         "Bore for it first, go down on a ramp or a helix, or take a tool that cuts at its centre."),
    Kind("material.loose", "caution", "Loose piece", "A piece of stock came off. It stays where it is in the rehearsal.",
         "Hold the piece, leave a tab, or machine it away."),
    Kind("material.blank", "stop", "Blank too small", "The design reaches outside the stock before anything is cut.",
         "Place the design inside the stock, or use a larger blank."),
    Kind("setup.access", "caution", "No room for the hand",
         "An envelope that must stay free — a driver on a screw, a wrench, a hand, a probe — has a body in it.",
         "Move the body named, or reach the screw from another side."),
    Kind("tool.register", "caution", "Register does not fit its tool",
         "A register in use is not what its tool measures: a length, or a place of a turning tool's tip, that is neither the true one nor that plus the "
         "constant that the table's other lengths share, or a radius that is neither the true one nor a mere wear value.",
         "Measure the tool again and enter the value shown."),
    Kind("channel.axis", "stop", "One axis, two channels",
         "Two channels command one axis at once: which of them it obeys is not known.",
         "Let one channel wait for the other before it moves the axis."),
    Kind("contact.timing", "caution", "Apart only by timing",
         "Two bodies moved by different channels keep apart as rehearsed, but would touch if one of the channels, between two "
         "common wait marks, came later by the time shown: an override, a warm-up, a worn tool changed.",
         "Put a common wait mark before the stretch, or park one of them farther off."),
    Kind("hold.nothing", "stop", "Grips nothing", "A grip closes where no work stands within its reach.",
         "Bring the work into its reach first, or close it later."),
    Kind("hold.size", "stop", "Does not fit the grip", "What stands within a grip's reach is wider or thinner than it holds.",
         "Fit other jaws or another collet, or grip at another diameter."),
    Kind("hold.short", "caution", "Held too short", "A grip holds less length than it must.",
         "Bring the work farther into the grip before it closes."),
    Kind("hold.dropped", "stop", "Held by nobody",
         "The last grip of a piece opens, or a piece is cut off with neither a grip nor a catcher to take it.",
         "Close the other grip first and give it its time, or bring the catcher under it."),
    Kind("hold.pulled", "stop", "Two grips pull apart", "Two grips hold one piece while their mounts move against each other.",
         "Open one of the grips, and wait until it is open, before either moves."),
    Kind("hold.speed", "stop", "Grip and piece at different speeds",
         "A grip closes on, opens from or holds together with another a piece that turns at another speed than its own spindle.",
         "Bring both spindles to one speed, or let one follow the other, before the grip moves."),
    Kind("hold.early", "stop", "Before the grip is ready",
         "What is being gripped or let go is moved, cut or turned up before the grip has had its time.",
         "Dwell longer after the code, by the seconds shown."),
    Kind("hold.off_centre", "stop", "Closes beside the axis",
         "A rest or centre closes beside the axis of the piece: it would bend it or push it aside.",
         "Bring the rest or centre onto the axis before it closes."),
    Kind("hold.left", "stop", "Drawn out of its bush", "A piece is drawn out of its guide bush: part of the bush's reach is empty.",
         "Draw it back less far; keep the whole bush filled."),
    Kind("check.partial", "caution", "Not rehearsed as it would run",
         "Part of the program was left out or shifted, or it was run dry, in the air or at another override: what was not "
         "rehearsed as it would run is not judged.",
         "Rehearse the whole program, as it would run, before it is released."),
    Kind("check.limit", "stop", "Not checked", "Something this version cannot check yet; the verdict does not cover it.",
         "Verify this by other means."),
]  # fmt: skip

CATALOGUE: dict[str, Kind] = {kind.name: kind for kind in _KINDS}
