"""What draws a simulated panel: as a picture, in a terminal, as an animation; and sheets of ROMs and drawings."""
