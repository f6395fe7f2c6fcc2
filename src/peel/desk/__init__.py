"""The window: Qt Widgets only, no numerics of its own."""
