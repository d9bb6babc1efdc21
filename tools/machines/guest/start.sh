# Loads the drivers, as a distribution would, and starts the agent. TREE, PYTHON: of the kernel's command line.
load() { modprobe -d "$TREE" "$@" || echo "no module $1"; }
for module in i2c-dev i2c-virtio gpio-virtio gpio-sim lm75 tmp102 ti-ads1015 bmp280-i2c sht3x ds2482 w1_therm \
  led-class-multicolor leds-gpio spi-gpio virtio_blk ext4 overlay; do load $module; done
load i2c-stub chip_addr=0x27,0x48
mount -t configfs config /sys/kernel/config
chip=$(basename "$(dirname "$(readlink -f /sys/bus/virtio/drivers/gpio_virtio/virtio*/gpiochip* | head -1)")")
load lumek-board chip="$chip" lines=24,25,26,28
exec "$PYTHON" "$(dirname "$0")/agent.py"
