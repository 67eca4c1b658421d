// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace kuvio::acquire {

/// Sets any rate of a serial line, not only those that termios has a name for. False when the
/// driver will not. A file of its own: the kernel's headers and the C library's do not mix.
bool set_any_baud(int descriptor, unsigned baud);

}  // namespace kuvio::acquire
