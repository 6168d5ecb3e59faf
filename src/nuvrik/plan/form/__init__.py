"""The link file as typed models, section by section: what may be written, and what each key means."""
