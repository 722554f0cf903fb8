"""Wound components: from waveforms to a winding that can be wound."""
