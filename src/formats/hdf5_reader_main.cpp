// SPDX-License-Identifier: GPL-3.0-or-later
// kuvio-read-hdf5 FILE: takes apart a file that nobody has vouched for, in a process of its own
// (formats/hdf5_reader.h). Kuvio starts it; it is nothing for people.

#include "formats/hdf5_reader.h"

#include <sys/resource.h>

#include <cstdio>
#include <cstdlib>

int main(int argc, char** argv) {
  if (argc != 2) {
    std::fputs("kuvio-read-hdf5 is started by kuvio and kuvio-cli to read an HDF5 file\n", stderr);
    return 64;
  }
  // What a crafted file makes the library ask for stays within bounds.
  const rlimit none{0, 0};
  setrlimit(RLIMIT_CORE, &none);
#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)  // their shadow alone is more
  const rlimit memory{rlim_t{2} << 30, rlim_t{2} << 30};
  setrlimit(RLIMIT_AS, &memory);
#endif
  kuvio::formats::read_hdf5(argv[1], [](std::string_view text) {
    if (std::fwrite(text.data(), 1, text.size(), stdout) != text.size()) std::_Exit(74);
  });
  return std::fflush(stdout) == 0 ? 0 : 74;
}
