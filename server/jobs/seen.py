"""What somebody sees: the jobs of their organisation, and of their site where they belong to one, beside those of no site. Every question of a
person goes by this."""

from django.db.models import Q, QuerySet

from accounts.models import Membership, Site

from .models import Job, Route, RouteStep


def whole(member: Membership) -> QuerySet[Job]:
    """All jobs that somebody sees, also those in the basket."""
    rows = Job.objects.filter(organisation=member.organisation)
    return rows.filter(Q(site=None) | Q(site=member.site)) if member.site_id else rows


def jobs(member: Membership) -> QuerySet[Job]:
    """Those that are there."""
    return whole(member).filter(thrown_as=0)


def put(job: Job, site: Site | None) -> None:
    """Let a job belong to a site, or to all, and with it all steps of its route: whoever sees one sees what it stands on."""
    step = RouteStep.objects.filter(job=job).first()
    Job.objects.filter(Q(pk=job.pk) | Q(step__route=step.route_id if step else None, step__isnull=False)).update(
        site=site
    )


def routes(member: Membership) -> QuerySet[Route]:
    """Routes that are there, of whose steps none is another site's."""
    rows = Route.objects.filter(organisation=member.organisation, thrown_as=0)
    if not member.site_id:
        return rows
    elsewhere = Job.objects.filter(organisation=member.organisation).exclude(site=None).exclude(site=member.site)
    return rows.exclude(steps__job__in=elsewhere)
