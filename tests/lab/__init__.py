"""The generated material that the listener is trained and measured on."""
