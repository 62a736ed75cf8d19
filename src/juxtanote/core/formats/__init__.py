"""Every file format, each in a module of its own."""
