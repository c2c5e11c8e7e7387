"""People of an organisation and what other systems may: invitations, roles, who has left, tokens, hooks."""

from typing import Any

from django.db.models import Count
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Status

from accounts import letters, people, second, sites, tokens
from accounts.models import Invitation, Membership, Role, Token
from jobs import hooks, record
from jobs.models import Hook

from .asked import member_of, noted, organisation_of
from .people_schemas import InvitationMade, InviteIn, PeopleOut, PersonOut, RoleIn, SiteIn, SiteOfIn, SiteOut
from .schemas import AccessOut, HookIn, HookMade, TokenIn, TokenMade, TokenOut

SHOWN_DELIVERIES = 8
LETTER = """{by} asks you in to {organisation} on Blunt Mirror; you {role} there.

Choose a name and a password within seven days:
{link}
"""

router = Router()


def _administers(request: HttpRequest) -> bool:
    member = member_of(request)
    return member is not None and member.role == Role.ADMINISTERS


def _member(request: HttpRequest, number: int) -> Membership:
    mine = Membership.objects.filter(organisation=organisation_of(request)).select_related("user")
    return get_object_or_404(mine, user=number)


def _person_out(member: Membership, request: HttpRequest, fully: bool) -> dict[str, Any]:
    user = member.user
    state = "here" if user.is_active else "forgotten" if user.username.startswith(people.LEFT) else "out"
    return {
        "id": user.pk, "name": user.username, "role": member.role, "site": member.site_id, "state": state, "you": user.pk == request.user.pk,
        "mail": user.email if fully else None, "second": second.needed(user) if fully else None,
        "last": user.last_login if fully else None,
    }  # fmt: skip


def _invitation_out(row: Invitation) -> dict[str, Any]:
    by = row.created_by.get_username() if row.created_by else ""
    return {
        "id": row.pk,
        "mail": row.mail,
        "role": row.role,
        "site": row.site_id,
        "by": by,
        "created": row.created,
        "ends": row.ends,
    }


@router.get("/people", response=PeopleOut)
def list_people(request: HttpRequest) -> Any:
    """Everybody of the organisation; mail, second factor and last sign-in are told to those who administer, and invitations."""
    organisation, fully = organisation_of(request), _administers(request)
    members = organisation.members.select_related("user").order_by("user__username")
    if not fully:
        members = members.filter(user__is_active=True)
    waiting = organisation.invitations.select_related("created_by").filter(taken=None, ends__gt=timezone.now())
    told = organisation.sites.annotate(
        people=Count("members", distinct=True), count=Count("jobs", distinct=True)
    ).order_by("name")
    return {
        "sites": [{"id": row.pk, "name": row.name, "people": row.people, "jobs": row.count} for row in told],
        "people": [_person_out(row, request, fully) for row in members],
        "invitations": [_invitation_out(row) for row in waiting] if fully else [],
    }


@router.post("/invitations", response=InvitationMade)
def invite(request: HttpRequest, body: InviteIn) -> Any:
    """Ask somebody in. The link is in this answer, and in a letter where there is an address; nowhere else."""
    organisation = organisation_of(request)
    site = sites.of(organisation, body.site)
    row, secret = people.invite(organisation, request.user, body.mail, Role(body.role), site)  # type: ignore[arg-type]
    link = request.build_absolute_uri(f"/invited/{secret}")
    by = request.user.get_username()
    text = LETTER.format(by=by, organisation=organisation.name, role=row.role, link=link)
    sent = bool(row.mail) and letters.send(row.mail, f"{by} asks you in to {organisation.name}", text)
    noted(request, "asked somebody in", f"invitation {row.pk}", row.role)
    return {**_invitation_out(row), "link": link, "sent": sent}


@router.post("/invitations/{number}/withdraw", response={204: None})
def withdraw_invitation(request: HttpRequest, number: int) -> Any:
    row = get_object_or_404(organisation_of(request).invitations, pk=number, taken=None)
    noted(request, "took back an invitation", f"invitation {row.pk}", row.role)
    row.delete()
    return Status(204, None)


@router.post("/people/{number}/role", response=PersonOut)
def set_role(request: HttpRequest, number: int, body: RoleIn) -> Any:
    member = _member(request, number)
    before = member.role
    people.give(member, Role(body.role))
    if before != body.role:
        noted(request, "gave another role to", record.person(member.user), f"{before} → {body.role}")
    return _person_out(member, request, True)


@router.post("/people/{number}/site", response=PersonOut)
def set_person_site(request: HttpRequest, number: int, body: SiteOfIn) -> Any:
    """Let somebody belong to a site: they see its jobs, and those of no site; or to all."""
    member = _member(request, number)
    site = sites.of(member.organisation, body.site)
    sites.put(member, site)
    noted(request, "gave another site to", record.person(member.user), site.name if site else "all sites")
    return _person_out(member, request, True)


@router.post("/sites", response=SiteOut)
def make_site(request: HttpRequest, body: SiteIn) -> Any:
    site = sites.make(organisation_of(request), body.name)
    noted(request, "made a site", site.name)
    return {"id": site.pk, "name": site.name, "people": 0, "jobs": 0}


@router.post("/sites/{number}/take-away", response={204: None})
def take_site_away(request: HttpRequest, number: int) -> Any:
    """Only one that nobody and nothing belongs to."""
    site = get_object_or_404(organisation_of(request).sites, pk=number)
    sites.take_away(site)
    noted(request, "took a site away", site.name)
    return Status(204, None)


@router.post("/people/{number}/take-out", response=PersonOut)
def take_out(request: HttpRequest, number: int) -> Any:
    """Somebody has left: no sign-in, no token, no session of theirs holds any more."""
    member = _member(request, number)
    people.take_out(member)
    noted(request, "took out", record.person(member.user), member.role)
    return _person_out(member, request, True)


@router.post("/people/{number}/bring-back", response=PersonOut)
def bring_back(request: HttpRequest, number: int) -> Any:
    member = _member(request, number)
    people.bring_back(member)
    noted(request, "brought back", record.person(member.user), member.role)
    return _person_out(member, request, True)


@router.post("/people/{number}/forget", response=PersonOut)
def forget(request: HttpRequest, number: int) -> Any:
    """Take the name, address and devices of somebody who has left out of the installation. The record goes on to be whole."""
    member = _member(request, number)
    people.forget(member)
    noted(request, "forgot", record.person(member.user))
    return _person_out(member, request, True)


@router.post("/people/{number}/second-off", response=PersonOut)
def second_off_for(request: HttpRequest, number: int) -> Any:
    """Take off the second factor of somebody whose device is lost."""
    member = _member(request, number)
    second.take_off(member.user)
    noted(request, "turned off the second factor of", record.person(member.user))
    return _person_out(member, request, True)


@router.get("/access", response=AccessOut)
def access(request: HttpRequest) -> Any:
    organisation = organisation_of(request)
    held = Token.objects.filter(user__membership__organisation=organisation).select_related("user")
    administers = _administers(request)
    if not administers:
        held = held.filter(user=request.user)  # type: ignore[misc]
    return {
        "tokens": [_token_out(row) for row in held],
        "hooks": [_hook_out(row) for row in organisation.hooks.all()] if administers else [],
    }


@router.post("/tokens", response=TokenMade)
def make_token(request: HttpRequest, body: TokenIn) -> Any:
    """A token for another system, with rights and an end of its own. Its secret is in this answer and nowhere else."""
    row, secret = tokens.make(request.user, body.name, Role(body.role), body.days)  # type: ignore[arg-type]
    noted(request, "made a token", row.name, f"it {row.role} until {row.ends:%Y-%m-%d}")
    return {**_token_out(row), "secret": secret}


@router.post("/tokens/{number}/revoke", response=TokenOut)
def revoke_token(request: HttpRequest, number: int) -> Any:
    mine = Token.objects.filter(user__membership__organisation=organisation_of(request))
    if not _administers(request):
        mine = mine.filter(user=request.user)  # type: ignore[misc]
    row = get_object_or_404(mine, pk=number)
    if row.revoked is None:
        row.revoked = timezone.now()
        row.save(update_fields=["revoked"])
        noted(request, "revoked a token", row.name, row.user.get_username())
    return _token_out(row)


@router.post("/hooks", response=HookMade)
def make_hook(request: HttpRequest, body: HookIn) -> Any:
    """An address that is told of what happens. Its secret, which signs what is sent, is in this answer and nowhere else."""
    row = hooks.make(organisation_of(request), request.user, body.url, list(body.events))  # type: ignore[arg-type]
    noted(request, "made a hook", row.url, ", ".join(row.events))
    return {**_hook_out(row), "secret": row.secret}


@router.post("/hooks/{number}/take-away", response={204: None})
def take_hook_away(request: HttpRequest, number: int) -> Any:
    row = get_object_or_404(Hook, pk=number, organisation=organisation_of(request))
    noted(request, "took a hook away", row.url)
    row.delete()
    return Status(204, None)


def _token_out(row: Token) -> dict[str, Any]:
    state = "revoked" if row.revoked else "over" if row.ends <= timezone.now() else "holds"
    return {"id": row.pk, "name": row.name, "role": row.role, "by": row.user.get_username(), "created": row.created, "ends": row.ends, "used": row.used,
            "state": state}  # fmt: skip


def _hook_out(row: Hook) -> dict[str, Any]:
    return {
        "id": row.pk,
        "url": row.url,
        "events": row.events,
        "created": row.created,
        "deliveries": list(row.deliveries.all()[:SHOWN_DELIVERIES]),
    }
