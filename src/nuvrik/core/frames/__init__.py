"""Frames: channels into bytes and bytes into channels, in every style."""
