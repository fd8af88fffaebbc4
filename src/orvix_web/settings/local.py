"""On the painter's own machine, on loopback: the settings of ./start."""

from orvix_web.settings.base import *  # noqa: F403
