"""The kinds of values, one file each: how a kind is declared, written, read, referred by and shown."""
