"""The Pulse room: waveforms, rings, road speed."""
