"""Where every watt goes: losses and temperatures from the simulated waveforms and the figures of parts."""
