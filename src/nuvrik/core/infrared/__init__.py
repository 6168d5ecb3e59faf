"""Marks and spaces: codes of remote controls, and carriers that are only switched."""
