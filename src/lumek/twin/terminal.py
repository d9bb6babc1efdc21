"""Moved to `lumek.views.terminal`."""

from lumek.views.terminal import terminal_view as terminal_view
from lumek.views.terminal import terminal_views as terminal_views
