"""Serving games in any language: messages, pages and the workbench."""
