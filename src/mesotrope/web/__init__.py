"""The screens: server-rendered pages, one folder a feature."""
