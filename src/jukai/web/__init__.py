"""Flask: thin routes, live events, limits. No SQL and no arrays here."""
