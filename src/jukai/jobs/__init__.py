"""Where work that takes long will run on several machines; in this version the server's own threads do it (``app.workshop``)."""
