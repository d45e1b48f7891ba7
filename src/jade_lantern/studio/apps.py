from django.apps import AppConfig


class Studio(AppConfig):
    name = "jade_lantern.studio"
    label = "studio"
