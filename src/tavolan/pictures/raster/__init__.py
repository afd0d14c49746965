"""Pixels: reading, resizing, packing into files, and buffers to draw on."""
