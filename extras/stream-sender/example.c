/* SPDX-License-Identifier: GPL-3.0-or-later */
/* A sender on this computer: writes ten seconds of a made current at 1 kS/s to standard output, as
 * fast as it is read.
 *
 *     cc -o sender example.c kuvio_stream.c && mkfifo pipe && ./sender > pipe &
 *     kuvio-cli capture b.kuvio --input stream:$PWD/pipe --seconds 10
 */
#include "kuvio_stream.h"

#include <stdio.h>
#include <time.h>

static void to_stdout(void* where, const uint8_t* bytes, size_t count) {
  fwrite(bytes, 1, count, (FILE*)where);
  fflush((FILE*)where);
}

int main(void) {
  static const struct kuvio_channel channel = {KUVIO_CURRENT, 0, "I", "0.1 % + 1 uA", 1e-6, 0.0,
                                               -32768, 32767, 0, NULL};
  static uint8_t buffer[2048];
  struct kuvio_stream stream = {to_stdout, stdout, buffer, sizeof buffer, 0, 1};
  const struct timespec pause = {0, 20 * 1000 * 1000};
  uint64_t first = 0;
  while (first < 12000) {
    uint8_t codes[2 * 20];
    int i;
    if (first % 1000 == 0 &&
        kuvio_send_header(&stream, 1, 1000, KUVIO_INT16, "example sender", &channel, 1) != 0)
      return 1;
    for (i = 0; i < 20; ++i) { /* 1 mA, and 5 mA for a tenth of every second */
      const uint16_t code = (first + (uint64_t)i) % 1000 < 100 ? 5000 : 1000;
      codes[2 * i] = (uint8_t)code;
      codes[2 * i + 1] = (uint8_t)(code >> 8);
    }
    if (kuvio_send_samples(&stream, first, 20, 0, codes, sizeof codes) != 0) return 1;
    first += 20;
    nanosleep(&pause, NULL);
  }
  return 0;
}
