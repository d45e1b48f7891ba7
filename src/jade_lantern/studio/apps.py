from django.apps import AppConfig
from django.conf import settings

from ..core import cache


class Studio(AppConfig):
    name = "jade_lantern.studio"
    label = "studio"

    def ready(self) -> None:
        cache.allow(settings.HELD_BYTES)
