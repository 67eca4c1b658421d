// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/serial_speed.h"

#include <asm/ioctls.h>
#include <asm/termbits.h>

extern "C" int ioctl(int descriptor, unsigned long request, ...);

namespace kuvio::acquire {

bool set_any_baud(int descriptor, unsigned baud) {
  termios2 settings{};
  if (::ioctl(descriptor, TCGETS2, &settings) != 0) return false;
  settings.c_cflag &= ~static_cast<unsigned>(CBAUD);
  settings.c_cflag |= BOTHER;
  settings.c_ispeed = settings.c_ospeed = baud;
  return ::ioctl(descriptor, TCSETS2, &settings) == 0;
}

}  // namespace kuvio::acquire
