"""Plants of an organisation: made, taken away, and who belongs to which. Whoever administers belongs to all."""

from django.db import transaction
from django.db.models import RestrictedError

from .models import Membership, Organisation, Role, Site
from .refused import Refused


def make(organisation: Organisation, name: str) -> Site:
    """Raises Refused."""
    name = " ".join(name.split())
    if not name:
        raise Refused("give the site a name")
    if organisation.sites.filter(name=name).exists():
        raise Refused(f"there is a site {name} already")
    return Site.objects.create(organisation=organisation, name=name)


def take_away(site: Site) -> None:
    """Raises Refused while somebody or something belongs to it."""
    try:
        site.delete()
    except RestrictedError as error:
        raise Refused(f"people, invitations or jobs belong to {site.name}: give them another site first") from error


def of(organisation: Organisation, number: int | None) -> Site | None:
    """A site of the organisation by its number; None for none. Raises Refused."""
    if number is None:
        return None
    site = organisation.sites.filter(pk=number).first()
    if site is None:
        raise Refused("there is no such site")
    return site


@transaction.atomic
def put(member: Membership, site: Site | None) -> None:
    """Let somebody belong to a site, or to all. Raises Refused."""
    Organisation.objects.select_for_update().get(pk=member.organisation_id)
    member.refresh_from_db()
    if site is not None and member.role == Role.ADMINISTERS:
        raise Refused("whoever administers belongs to all sites: give another role first")
    member.site = site
    member.save(update_fields=["site"])
