"""From steps to states of wires, for each kind of wiring."""
