"""Use cases, and the ports they need. No web and no database here."""
