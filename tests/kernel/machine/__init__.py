"""A computer with Debian's kernel, in QEMU, and simulated panels and sensors at the far end of its buses and lines."""
