"""What each call needs a person to be. A call that is not named here is refused to everybody: a new one must be put somewhere."""

from collections.abc import Iterator
from typing import Any

from django.http import HttpRequest
from ninja import NinjaAPI
from ninja.errors import HttpError
from ninja.security import django_auth

from accounts import seats
from accounts.models import Role
from accounts.tokens import owner_of

from .asked import member_of

READS, WORKS, RELEASES, ADMINISTERS = Role
SAID = {
    WORKS: "You may look, and change nothing. Somebody who administers can give you the right to work.",
    RELEASES: "You may work, and not release. Somebody who administers can give you the right to.",
    ADMINISTERS: "Only those who administer may do this.",
}

RIGHTS: dict[str, Role] = {
    **dict.fromkeys(
        (
            # what is only looked at, or worked out and not kept
            "sign_out", "me", "account", "change_password", "begin_second", "confirm_second", "second_off", "end_seat", "list_people",
            "judged_so_far", "access", "list_basket", "see_room", "the_queue", "make_token", "revoke_token",
            "measured_times", "part_beside", "list_jobs", "list_routes",
            "new_job_defaults", "library", "library_file", "revision_archive", "revision_file", "report_pdf", "one_rehearsal", "remedies", "tolerance",
            "artifact", "film", "program_text", "list_measures", "measures_table", "try_measure", "machine_model", "machine_picture",
            "machine_faults", "machine_urdf",
            "library_found", "machine_control", "surface_beside",
            "move_machine", "machine_block", "fixture_library", "fixture_shapes", "setup", "setup_model", "setup_offsets", "setup_offset_here",
            "setup_pick", "setup_mate", "setup_repeat", "setup_stock", "setup_tool_picture", "move", "run_block", "fits", "desk", "desk_check",
            "desk_block", "desk_arm", "desk_arm_block",
            "desk_program", "lead", "lead_machine", "reach", "stand", "stand_there", "rules", "the_record", "record_table",
        ),
        READS,
    ),
    **dict.fromkeys(
        (
            "throw_job_away", "throw_route_away", "bring_job_back",
            "rehearse_route", "with_library", "rehearse_touched", "judge", "learn_times", "new_job", "compose_job", "add_to_library", "rehearse",
            "put_programs", "put_control", "cancel", "cancel_sweep", "try_remedies", "cancel_remedies", "ask_tolerance", "cancel_tolerance", "mend", "back",
            "put_measure", "take_measure_away", "set_triage", "clear_triage", "set_accessories", "set_meant", "setup_file", "setup_save", "swap",
            "desk_save", "keep_from_setup", "setup_bring", "set_control",
        ),
        WORKS,
    ),
    **dict.fromkeys(("sign_release", "withdraw_release"), RELEASES),
    **dict.fromkeys((
            "set_rule", "make_hook", "take_hook_away", "invite", "withdraw_invitation", "set_role", "take_out", "bring_back", "forget",
            "second_off_for", "delete_for_good", "set_person_site", "make_site", "take_site_away", "set_job_site",
        ), ADMINISTERS),
}  # fmt: skip
OPEN = (
    "sign_in", "invited", "accept_invitation", "forgotten", "new_password", "elsewhere_told", "elsewhere_begin", "elsewhere_back",
    "elsewhere_code", "join",
)  # fmt: skip
NOT_BY_TOKEN = (
    "make_token",
    "revoke_token",
    "make_hook",
    "take_hook_away",
    "sign_release",
    "withdraw_release",
    "sign_out",
    "account",
    "change_password",
    "begin_second",
    "confirm_second",
    "second_off",
    "end_seat",
    "invite",
    "withdraw_invitation",
    "set_role",
    "take_out",
    "bring_back",
    "forget",
    "second_off_for",
    "set_person_site",
    "make_site",
    "take_site_away",
)


class Needs:
    """Signed in, and with the right that a call needs."""

    def __init__(self, name: str) -> None:
        self.name = name

    def __call__(self, request: HttpRequest) -> Any:
        needed = RIGHTS.get(self.name)
        request.needed = needed  # type: ignore[attr-defined]
        scheme, _, secret = request.headers.get("Authorization", "").partition(" ")
        if scheme.lower() == "bearer":  # no cookie is sent with it, so that no other site can use it
            return self._by_token(request, secret.strip(), needed)
        user = django_auth(request)
        if user is None:
            return None
        seats.still_here(request)
        member = member_of(request)
        if member is None:
            return user  # of no organisation: nothing is found
        if needed is None or not Role(member.role).covers(needed):
            raise HttpError(403, SAID[needed or ADMINISTERS])
        return user

    def _by_token(self, request: HttpRequest, secret: str, needed: Role | None) -> Any:
        found = owner_of(secret)
        if found is None:
            return None
        token, role = found
        if self.name in NOT_BY_TOKEN:
            raise HttpError(403, "this is done by a person who has signed in, not with a token")
        if needed is None or not role.covers(needed):
            raise HttpError(403, f"the token '{token.name}' may not do this: it {role}")
        request.user = token.user
        request.asked_by = token.user.membership  # type: ignore[attr-defined]
        return token.user


def calls(api: NinjaAPI) -> Iterator[tuple[str, str, Any]]:
    """Every call of the API: its name, its address and the operation, as it is asked (a router's own are only what these were made from)."""
    for router in api._get_bound_routers():
        for path, view in router.path_operations.items():
            for operation in view.operations:
                yield operation.view_func.__name__, f"{router.prefix}{path}", operation


def guard(api: NinjaAPI) -> None:
    """Ask of every call what it needs."""
    for name, _, operation in calls(api):
        if name not in OPEN:
            operation.auth_callbacks = [Needs(name)]
