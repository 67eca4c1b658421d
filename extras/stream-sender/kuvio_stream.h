/* SPDX-License-Identifier: GPL-3.0-or-later */
/* Sends the framed binary stream of docs/stream-protocol.md. For microcontrollers: C99, no heap, no
 * floating point but in the header, one small buffer of the caller's. */
#ifndef KUVIO_STREAM_H
#define KUVIO_STREAM_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

enum kuvio_quantity { KUVIO_CURRENT = 1, KUVIO_VOLTAGE = 2, KUVIO_LOGIC = 3 };
enum kuvio_format { KUVIO_INT16 = 1, KUVIO_INT24 = 2, KUVIO_INT32 = 3, KUVIO_FLOAT32 = 4 };
enum kuvio_flags { KUVIO_RANGE_CHANGE = 2, KUVIO_OVERFLOWED = 4 };

struct kuvio_channel {
  uint8_t quantity;         /* enum kuvio_quantity */
  uint8_t instant;          /* 0: means over the sample interval, 1: values at its instant */
  const char* name;         /* UTF-8, 1 to 255 bytes, as all texts */
  const char* accuracy;     /* "0.1 % + 100 nA", or "" */
  double gain, offset;      /* ampere or volt = gain * code + offset */
  int32_t lowest, highest;  /* codes at or beyond these are over range; 0 and 0: none */
  uint8_t line_count;       /* of a logic word, else 0 */
  const char* const* lines; /* their names, from bit 0 up */
};

struct kuvio_stream {
  void (*write)(void* where, const uint8_t* bytes, size_t count); /* all of them */
  void* where;
  uint8_t* buffer; /* room for one frame: 16 bytes and the largest payload */
  size_t size;
  uint32_t sequence;
  uint32_t session; /* another one after every start: a boot count, or anything random */
};

/* Says what is sent; to be repeated about once a second. 0, or -1 when the buffer is too small. */
int kuvio_send_header(struct kuvio_stream* s, uint32_t interval_num, uint32_t interval_den,
                      enum kuvio_format format, const char* identity,
                      const struct kuvio_channel* channels, uint8_t channel_count);

/* Sends `count` samples, the first of which is number `first` since the start. `codes` are the
 * bytes as they go out: for each sample the channels in order, little-endian, as wide as the
 * format. */
int kuvio_send_samples(struct kuvio_stream* s, uint64_t first, uint16_t count, uint8_t flags,
                       const uint8_t* codes, size_t bytes);

/* A line of text for the device log. */
int kuvio_send_message(struct kuvio_stream* s, const char* text);

/* Takes a byte that came from Kuvio. When it completes a question for the clock, it is answered
 * with `taken`, the number of samples taken by now. Call it as soon as the byte is there. */
struct kuvio_question {
  uint8_t bytes[24];
  uint8_t have;
};
void kuvio_take_byte(struct kuvio_stream* s, struct kuvio_question* q, uint8_t byte,
                     uint64_t taken);

#ifdef __cplusplus
}
#endif
#endif
