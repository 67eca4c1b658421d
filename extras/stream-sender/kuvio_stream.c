/* SPDX-License-Identifier: GPL-3.0-or-later */
#include "kuvio_stream.h"

#include <string.h>

enum { HEAD = 12, CHECK = 4, TYPE_HEADER = 1, TYPE_SAMPLES = 2, TYPE_MESSAGE = 3, TYPE_TIME = 4 };

/* CRC-32 (IEEE 802.3, reflected), a bit at a time: a table costs a kilobyte. */
static uint32_t crc32(const uint8_t* data, size_t count) {
  uint32_t crc = 0xffffffffu;
  while (count--) {
    int bit;
    crc ^= *data++;
    for (bit = 0; bit < 8; ++bit) crc = crc & 1 ? 0xedb88320u ^ (crc >> 1) : crc >> 1;
  }
  return crc ^ 0xffffffffu;
}

static size_t put(uint8_t* at, uint64_t value, size_t bytes) {
  size_t i;
  for (i = 0; i < bytes; ++i) at[i] = (uint8_t)(value >> (8 * i));
  return bytes;
}

static size_t put_double(uint8_t* at, double value) {
  uint64_t bits;
  memcpy(&bits, &value, sizeof bits);
  return put(at, bits, 8);
}

/* Appends a text with its length in front; `*at` stays beyond `size` once it does not fit. */
static void put_text(uint8_t* buffer, size_t size, size_t* at, const char* text) {
  size_t length = strlen(text);
  if (length > 255) length = 255;
  if (*at + 1 + length <= size) {
    buffer[*at] = (uint8_t)length;
    memcpy(buffer + *at + 1, text, length);
  }
  *at += 1 + length;
}

/* The payload stands at HEAD already. */
static int send_frame(struct kuvio_stream* s, uint8_t type, size_t payload) {
  uint8_t* b = s->buffer;
  if (payload > 65535 || HEAD + payload + CHECK > s->size) return -1;
  memcpy(b, "KVST", 4);
  b[4] = 1; /* version */
  b[5] = type;
  put(b + 6, payload, 2);
  put(b + 8, s->sequence++, 4);
  put(b + HEAD + payload, crc32(b + 4, HEAD - 4 + payload), CHECK);
  s->write(s->where, b, HEAD + payload + CHECK);
  return 0;
}

int kuvio_send_header(struct kuvio_stream* s, uint32_t interval_num, uint32_t interval_den,
                      enum kuvio_format format, const char* identity,
                      const struct kuvio_channel* channels, uint8_t channel_count) {
  size_t at = HEAD;
  uint8_t* b = s->buffer;
  uint8_t c, line;
  if (s->size < HEAD + 16) return -1;
  at += put(b + at, s->session, 4);
  at += put(b + at, interval_num, 4);
  at += put(b + at, interval_den, 4);
  b[at++] = channel_count;
  b[at++] = (uint8_t)format;
  at += put(b + at, 0, 2);
  put_text(b, s->size, &at, identity);
  for (c = 0; c < channel_count; ++c) {
    const struct kuvio_channel* k = &channels[c];
    if (at + 2 > s->size) return -1;
    b[at++] = k->quantity;
    b[at++] = k->instant;
    put_text(b, s->size, &at, k->name);
    put_text(b, s->size, &at, k->accuracy);
    if (at + 25 > s->size) return -1;
    at += put_double(b + at, k->gain);
    at += put_double(b + at, k->offset);
    at += put(b + at, (uint32_t)k->lowest, 4);
    at += put(b + at, (uint32_t)k->highest, 4);
    b[at++] = k->line_count;
    for (line = 0; line < k->line_count; ++line) put_text(b, s->size, &at, k->lines[line]);
  }
  if (at > s->size) return -1;
  return send_frame(s, TYPE_HEADER, at - HEAD);
}

int kuvio_send_samples(struct kuvio_stream* s, uint64_t first, uint16_t count, uint8_t flags,
                       const uint8_t* codes, size_t bytes) {
  uint8_t* b = s->buffer + HEAD;
  if (HEAD + 12 + bytes + CHECK > s->size) return -1;
  put(b, first, 8);
  put(b + 8, count, 2);
  b[10] = flags;
  b[11] = 0;
  memcpy(b + 12, codes, bytes);
  return send_frame(s, TYPE_SAMPLES, 12 + bytes);
}

int kuvio_send_message(struct kuvio_stream* s, const char* text) {
  const size_t length = strlen(text);
  if (HEAD + length + CHECK > s->size) return -1;
  memcpy(s->buffer + HEAD, text, length);
  return send_frame(s, TYPE_MESSAGE, length);
}

void kuvio_take_byte(struct kuvio_stream* s, struct kuvio_question* q, uint8_t byte,
                     uint64_t taken) {
  static const uint8_t begin[8] = {'K', 'V', 'S', 'T', 1, 5, 8, 0};
  uint32_t sent;
  if (q->have < sizeof begin && byte != begin[q->have]) q->have = 0;
  if (q->have == 0 && byte != begin[0]) return;
  q->bytes[q->have++] = byte;
  if (q->have < sizeof q->bytes) return;
  q->have = 0;
  sent = (uint32_t)q->bytes[20] | (uint32_t)q->bytes[21] << 8 | (uint32_t)q->bytes[22] << 16 |
         (uint32_t)q->bytes[23] << 24;
  if (sent != crc32(q->bytes + 4, 16) || s->size < HEAD + 16 + CHECK) return;
  memcpy(s->buffer + HEAD, q->bytes + HEAD, 8); /* the nonce goes back as it came */
  put(s->buffer + HEAD + 8, taken, 8);
  send_frame(s, TYPE_TIME, 16);
}
