"""The transport: which part plays, whether it loops, and the button that starts it."""

from django import template

from dactyl.parts import queries

register = template.Library()


@register.inclusion_tag("parts/_transport.html")
def transport() -> dict:
    return {"parts": queries.all_parts()}
