#!/bin/bash
# prepare.sh DIR: makes everything that the guest needs, under DIR. As root, from Debian's packages alone, in 2 minutes:
# DIR/vmlinux, DIR/initramfs.gz and DIR/tree, with the modules of Debian's kernel and some built from Debian's source.
# The exit code is 3 where QEMU and the like cannot be installed.
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd)
dir=$(realpath -m "$1")
series=6.12

rm -rf "$dir" && mkdir -p "$dir"/{debs,tree,headers,source,modules}
export DEBIAN_FRONTEND=noninteractive
[ "$(id -u)" = 0 ] && command -v apt-get >/dev/null || exit 3
apt-get update -qq || true
apt-get install -y -qq --no-install-recommends \
  qemu-system-x86 busybox-static kmod xz-utils zstd cpio gcc make libelf1 e2fsprogs systemd >"$dir/apt.log" 2>&1 || exit 3

# The newest kernel of the series of which image, headers and source are there. Installing the headers would bring in a
# kernel of their own: the packages are unpacked instead.
release=$(apt-cache pkgnames "linux-image-$series" | sed -nE 's/^linux-image-(.*[0-9](\+deb[0-9]+)?-amd64)$/\1/p' | grep -v -e cloud -e rt- | sort -V | tail -1) || true
[ -n "$release" ] || exit 3
headers="linux-headers-$release linux-headers-${release%-amd64}-common linux-kbuild-${release%-amd64}"
(cd "$dir/debs" && apt-get download -qq "linux-image-$release" $headers "linux-source-$series" 2>/dev/null) || exit 3

tar_of() { dpkg-deb --fsys-tarfile "$dir"/debs/"$1"_*.deb; }
tar_of "linux-image-$release" | tar xf - -C "$dir/tree" --wildcards './boot/vmlinuz*' './lib/modules/*/modules.*' \
  './lib/modules/*/kernel/drivers/'{i2c,spi,gpio,hwmon,iio,leds,w1,virtio,char,base,block}/* \
  './lib/modules/*/kernel/fs/'{9p,netfs,configfs,overlayfs,ext4,jbd2}/* './lib/modules/*/kernel/fs/mbcache.ko*' \
  './lib/modules/*/kernel/net/9p/*' './lib/modules/*/kernel/'{lib,crypto}/* &
for deb in $headers; do dpkg-deb -x "$dir"/debs/"$deb"_*.deb "$dir/headers"; done
# No more of the 150 MB of source than these files, which are near the beginning of the archive.
from="linux-source-$series"
tar_of "linux-source-$series" | tar xf - -C "$dir/source" "./usr/src/$from.tar.xz"
{ xz -T2 -dc "$dir/source/usr/src/$from.tar.xz" 2>/dev/null || true; } | tar xf - -C "$dir/source" --strip-components=1 --occurrence=1 \
  "$from"/drivers/{i2c/busses/i2c-virtio.c,gpio/gpio-virtio.c,gpio/gpio-sim.c,gpio/gpiolib.h,spi/spi-gpio.c,spi/spi-bitbang-txrx.h} \
  "$from/kernel/irq/irq_sim.c"
wait

modules=$dir/modules
cp "$dir"/source/drivers/{i2c/busses/i2c-virtio.c,gpio/gpio-virtio.c,gpio/gpiolib.h} "$dir"/source/drivers/spi/* "$modules"
cp "$dir/source/drivers/gpio/gpio-sim.c" "$modules/gpio-sim-core.c"
cp "$dir/source/kernel/irq/irq_sim.c" "$here"/board/* "$modules"
# What the kernel does not export to modules, by what does the same.
sed -i 's/handle_simple_irq(irq_to_desc(irqnum))/generic_handle_irq(irqnum)/' "$modules/irq_sim.c"
# A device behind the SPI of lines, to which spidev binds; a device tree would name it.
sed -i 's/return devm_spi_register_controller(&pdev->dev, host);/status = devm_spi_register_controller(\&pdev->dev, host); if (!status) { struct spi_board_info info = { .modalias = "dh2228fv", .max_speed_hz = 10000000 }; spi_new_device(host, \&info); } return status;/' "$modules/spi-gpio.c"
grep -q dh2228fv "$modules/spi-gpio.c"
# After a message that failed, or a signal, the driver frees messages that the adapter has not answered yet; the answer
# is then written into what others allocated. It waits for all of them here, as the drivers of most adapters do.
sed -i 's/if (wait_for_completion_interruptible(&req->completion))/if (0)/; s/^\t\tif (!failed) {/\t\twait_for_completion(\&req->completion);\n&/' "$modules/i2c-virtio.c"
[ "$(grep -c wait_for_completion "$modules/i2c-virtio.c")" = 1 ]

build=$dir/headers/usr/src/linux-headers-$release
sed -i "s#/usr/src#$dir/headers/usr/src#" "$build/Makefile"
for link in "$build"/scripts "$build"/tools; do
  [ ! -L "$link" ] || ln -sfn "$dir/headers/usr/lib/linux-kbuild-${release%-amd64}/$(basename "$link")" "$link"
done
make -s -j"$(nproc)" -C "$build" M="$modules" CONFIG_DEBUG_INFO_BTF_MODULES= modules >"$dir/make.log" 2>&1 || {
  tail -20 "$dir/make.log"
  exit 1
}
strip -g "$modules"/*.ko
mkdir -p "$dir/tree/lib/modules/$release/extra"
cp "$modules"/*.ko "$dir/tree/lib/modules/$release/extra"
depmod -b "$dir/tree" "$release"

python3 "$here/elf_kernel.py" "$dir"/tree/boot/vmlinuz-* "$dir/vmlinux"

# The initramfs: busybox, the modules of the file system of the root, and the first process.
ramfs=$dir/ramfs
mkdir -p "$ramfs"/{bin,proc,sys,newroot,dev}
cp /bin/busybox "$ramfs/bin/"
ln -s busybox "$ramfs/bin/sh"
install -m 755 "$here/init" "$ramfs/init"
for module in fs/netfs/netfs net/9p/9pnet net/9p/9pnet_virtio fs/9p/9p; do
  found=$(ls "$dir/tree/lib/modules/$release/kernel/$module".ko*)
  case $found in
    *.xz) xz -dc "$found" >"$ramfs/$(basename "$module").ko" ;;
    *) cp "$found" "$ramfs/" ;;
  esac
done
(cd "$ramfs" && find . | cpio -o -H newc --quiet | gzip -1) >"$dir/initramfs.gz"
rm -rf "$dir"/{debs,headers,source,modules,ramfs}
echo "$release" >"$dir/release"
