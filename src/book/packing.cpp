// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/packing.h"

#include "book/text.h"

#define ZSTD_STATIC_LINKING_ONLY  // for ZSTD_c_literalCompressionMode; without it packing goes on
#include <zstd.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstring>

namespace kuvio::book {
namespace {

constexpr int kLevel = 1;             // zstd's
constexpr int kLeastMatch = 6;        // bytes; shorter ones cost time in noise, and save nothing
constexpr double kPays = 0.8;         // of the bytes it was
constexpr std::size_t kHeadFix = 32;  // form, lattice, padding
constexpr std::size_t kFrameFix = 20;
constexpr std::size_t kTaste = 96;  // residuals looked at to choose an order
constexpr std::size_t kLittle = 8;  // a plane this much smaller by its code alone is small enough
constexpr double kRepeats = 0.95;   // of what its code alone makes of it: it is worth to search

double rounded(double v, Encoding encoding) {
  return encoding == Encoding::f4 ? static_cast<double>(static_cast<float>(v)) : v;
}

bool same_bits(double a, double b) {
  return std::bit_cast<std::uint64_t>(a) == std::bit_cast<std::uint64_t>(b);
}

/// Numbers of values on a lattice, guessed by a product: they are right if they give the values to
/// the bit. Without a branch, so that several are worked out at once; a sum with 1.5 * 2^52 has the
/// nearest whole number in its lowest bits.
template <bool Divides, bool Narrow>
bool fits(const Lattice& l, std::span<const double> values, std::uint32_t* numbers) {
  constexpr double kMagic = 6755399441055744.0;
  constexpr auto kMagicBits = std::bit_cast<std::uint64_t>(kMagic);
  constexpr std::uint64_t kMost = std::uint64_t{1} << 31;
  const double steps = l.divisor / l.gain;
  std::uint64_t wrong = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    const double sum = (values[i] - l.offset) * steps + kMagic;
    const double k = sum - kMagic;
    double back = l.gain * (Divides ? k / l.divisor : k) + l.offset;
    if constexpr (Narrow) back = static_cast<double>(static_cast<float>(back));
    const std::uint64_t number = std::bit_cast<std::uint64_t>(sum) - kMagicBits;
    // Beyond 32 bits, and what is no number at all.
    wrong |= (number + kMost) >> 32;
    wrong |= std::bit_cast<std::uint64_t>(back) ^ std::bit_cast<std::uint64_t>(values[i]);
    numbers[i] = static_cast<std::uint32_t>(number);
  }
  return wrong == 0;
}

bool fits(const Lattice& l, Encoding encoding, std::span<const double> values,
          std::uint32_t* numbers) {
  const bool narrow = encoding == Encoding::f4;
  if (l.divisor == 1)
    return narrow ? fits<false, true>(l, values, numbers) : fits<false, false>(l, values, numbers);
  return narrow ? fits<true, true>(l, values, numbers) : fits<true, false>(l, values, numbers);
}

/// The whole numbers of all values, if they have them.
bool fits(const Lattice& l, Encoding encoding, std::span<const double> values,
          std::vector<std::uint32_t>& numbers) {
  std::uint32_t k = 0;
  const std::size_t step = std::max<std::size_t>(1, values.size() / 64);
  for (std::size_t i = 0; i < values.size(); i += step) {
    if (!fits(l, encoding, values.subspan(i, 1), &k)) return false;
  }
  numbers.resize(values.size());
  constexpr std::size_t kPiece = 1024;
  for (std::size_t at = 0; at < values.size(); at += kPiece) {
    const std::size_t n = std::min(values.size() - at, kPiece);
    if (!fits(l, encoding, values.subspan(at, n), &numbers[at])) return false;
  }
  return true;
}

bool find_lattice(Encoding encoding, std::span<const double> values,
                  std::optional<Lattice>& lattice, std::vector<std::uint32_t>& numbers) {
  if (lattice && fits(*lattice, encoding, values, numbers)) return true;
  const double known = lattice ? lattice->gain : 1;
  for (const double gain : {known, 1.0, 1e-3, 1e-6, 1e-9}) {
    double divisor = 1;
    for (int digits = 0; digits <= 12; ++digits, divisor *= 10) {
      const Lattice decimal{gain, 0, divisor};
      if (!fits(decimal, encoding, values, numbers)) continue;
      lattice = decimal;
      return true;
    }
  }
  return false;
}

template <typename U>
U zigzag(U r) {
  using S = std::make_signed_t<U>;
  return static_cast<U>(r << 1) ^ static_cast<U>(static_cast<S>(r) >> (sizeof(U) * 8 - 1));
}
template <typename U>
U unzigzag(U z) {
  return static_cast<U>(z >> 1) ^ (U{0} - (z & U{1}));
}

/// What is left of values when the order-th difference is taken: order 0 from a middle, 1 from the
/// one before, 2 from the straight line through the two before.
template <typename U>
U residual(const U* v, std::size_t i, int order, U middle) {
  if (order == 0) return v[i] - middle;
  if (i == 0) return 0;  // the seed
  const U d = v[i] - v[i - 1];
  if (order == 1) return d;
  return i == 1 ? U{0} : d - (v[i - 1] - v[i - 2]);
}

/// All of them, folded so that small ones of either sign are small; what they have in common in
/// bits.
template <typename U>
U residuals(std::span<const U> v, int order, U middle, U* out) {
  U all = 0;
  const auto put = [&](std::size_t i, U r) { all |= out[i] = zigzag(r); };
  std::size_t i = 0;
  const auto begun = static_cast<std::size_t>(order);
  for (; i < std::min(begun, v.size()); ++i) put(i, residual(v.data(), i, order, middle));
  if (order == 0) {
    for (; i < v.size(); ++i) put(i, v[i] - middle);
  } else if (order == 1) {
    for (; i < v.size(); ++i) put(i, v[i] - v[i - 1]);
  } else {
    for (; i < v.size(); ++i) put(i, v[i] - v[i - 1] - (v[i - 1] - v[i - 2]));
  }
  return all;
}

template <typename U>
int best_order(std::span<const U> v, U middle) {
  int best = 0;
  std::size_t least = SIZE_MAX;
  for (int order = 0; order <= 2; ++order) {
    std::size_t bits = 0;
    for (const std::size_t begin : {std::size_t{2}, v.size() / 2}) {
      const std::size_t end = std::min(v.size(), begin + kTaste);
      for (std::size_t i = begin; i < end; ++i)
        bits +=
            static_cast<std::size_t>(std::bit_width(zigzag(residual(v.data(), i, order, middle))));
    }
    if (bits < least) {
      least = bits;
      best = order;
    }
  }
  return best;
}

template <typename T>
void put(std::byte*& at, T value) {
  std::memcpy(at, &value, sizeof(T));
  at += sizeof(T);
}
template <typename T>
T take(const std::byte*& at) {
  T value;
  std::memcpy(&value, at, sizeof(T));
  at += sizeof(T);
  return value;
}

template <typename U>
U middle_of(std::span<const U> v) {
  using S = std::make_signed_t<U>;
  S lo = static_cast<S>(v[0]), hi = lo;
  for (const U u : v) {
    lo = std::min(lo, static_cast<S>(u));
    hi = std::max(hi, static_cast<S>(u));
  }
  return static_cast<U>(lo) + static_cast<U>(static_cast<U>(hi) - static_cast<U>(lo)) / 2;
}

std::size_t frames_of(std::int64_t samples) {
  return static_cast<std::size_t>((samples + kFrameSamples - 1) / kFrameSamples);
}

/// Combines byte planes to numbers of U.
template <typename U, std::size_t Width>
void join(const std::byte* planes, std::size_t n, U* out) {
  for (std::size_t i = 0; i < n; ++i) {
    U z = 0;
    for (std::size_t b = 0; b < Width; ++b)
      z |= static_cast<U>(static_cast<U>(planes[b * n + i]) << (8 * b));
    out[i] = unzigzag(z);
  }
}

template <typename U>
void join(std::size_t width, const std::byte* planes, std::size_t n, U* out) {
  switch (width) {
    case 0:
      std::fill_n(out, n, U{0});
      return;
    case 1:
      return join<U, 1>(planes, n, out);
    case 2:
      return join<U, 2>(planes, n, out);
    case 3:
      return join<U, 3>(planes, n, out);
    case 4:
      return join<U, 4>(planes, n, out);
    default:
      if constexpr (sizeof(U) == 8) {
        if (width == 5) return join<U, 5>(planes, n, out);
        if (width == 6) return join<U, 6>(planes, n, out);
        if (width == 7) return join<U, 7>(planes, n, out);
        return join<U, 8>(planes, n, out);
      }
  }
}

}  // namespace

// --- head ---------------------------------------------------------------------------------------

Bytes encode_head(const PackedHead& head) {
  Bytes out(kHeadFix + head.ends.size() * 4);
  std::byte* at = out.data();
  put<std::uint64_t>(at, static_cast<std::uint64_t>(head.form));
  for (const double d : {head.lattice.gain, head.lattice.offset, head.lattice.divisor}) put(at, d);
  for (const std::uint32_t end : head.ends) put(at, end);
  return out;
}

std::optional<PackedHead> decode_head(std::span<const std::byte> bytes, std::int64_t samples) {
  PackedHead out;
  out.ends.resize(frames_of(samples));
  if (bytes.size() != kHeadFix + out.ends.size() * 4) return std::nullopt;
  const std::byte* at = bytes.data();
  const auto form = take<std::uint64_t>(at);
  if (form < 1 || form > 4) return std::nullopt;
  out.form = static_cast<PackedHead::Form>(form);
  for (double* d : {&out.lattice.gain, &out.lattice.offset, &out.lattice.divisor}) {
    *d = take<double>(at);
    if (!std::isfinite(*d)) return std::nullopt;
  }
  if (out.lattice.divisor == 0) return std::nullopt;
  std::uint32_t last = 0;
  for (std::uint32_t& end : out.ends) {
    end = take<std::uint32_t>(at);
    if (end < last || end - last < kFrameFix || end - last > kFrameFix + 8 * kFrameSamples)
      return std::nullopt;
    last = end;
  }
  return out;
}

// --- packing ------------------------------------------------------------------------------------

struct Packer::Work {
  struct Free {
    void operator()(ZSTD_CCtx* c) const { ZSTD_freeCCtx(c); }
  };
  using Context = std::unique_ptr<ZSTD_CCtx, Free>;
  Context search{ZSTD_createCCtx()};  // for what repeats itself
  Context code{
      ZSTD_createCCtx()};  // for nothing: frequent bytes get the shorter codes, that is all
  Work() {
    ZSTD_CCtx_setParameter(search.get(), ZSTD_c_compressionLevel, kLevel);
    ZSTD_CCtx_setParameter(search.get(), ZSTD_c_minMatch, kLeastMatch);
    const bool known = !ZSTD_isError(ZSTD_CCtx_setParameter(code.get(), ZSTD_c_compressionLevel,
                                                            ZSTD_minCLevel())) &&
                       !ZSTD_isError(ZSTD_CCtx_setParameter(
                           code.get(), ZSTD_c_literalCompressionMode, ZSTD_ps_enable));
    if (!known) code.reset();  // a zstd that has it otherwise
  }
  std::vector<std::uint32_t> numbers, bits4;
  std::vector<std::uint64_t> bits8;
  std::array<std::byte, 8 * kFrameSamples> planes;
  enum class Plane { unknown, repeats, noise };
  std::array<Plane, 8> kind{};  // of the chunk's planes, by weight
  Bytes room, other_room;       // for what zstd makes of them

  /// Their size as a frame in `to`; SIZE_MAX where that does not do.
  static std::size_t pack(ZSTD_CCtx* by, std::span<const std::byte> bytes,
                          std::span<std::byte> to) {
    const std::size_t size = ZSTD_compress2(by, to.data(), to.size(), bytes.data(), bytes.size());
    return ZSTD_isError(size) ? SIZE_MAX : size;
  }
  /// The same for a plane, in whichever way makes it small. Most planes are noise in their lower
  /// bits: searching them takes five times as long as giving them a code, and what it finds by
  /// chance makes them larger. So the first frame of a chunk tells what the rest of it is.
  std::size_t pack_plane(std::size_t plane, std::span<const std::byte> bytes,
                         std::span<std::byte> to) {
    Plane& is = kind[plane];
    if (!code || is == Plane::repeats) return pack(search.get(), bytes, to);
    const std::size_t coded = pack(code.get(), bytes, to);
    if (is == Plane::noise || coded < bytes.size() / kLittle) return coded;
    other_room.resize(to.size());
    const std::size_t found = pack(search.get(), bytes, other_room);
    is = static_cast<double>(found) < kRepeats * static_cast<double>(coded) ? Plane::repeats
                                                                            : Plane::noise;
    if (found < coded) std::copy_n(other_room.begin(), found, to.begin());
    return std::min(found, coded);
  }
  /// All planes, a zstd frame each, one behind the other in `room`; their size, or SIZE_MAX.
  std::size_t pack_planes(std::size_t width, std::size_t n) {
    room.resize(std::max(room.size(), width * ZSTD_compressBound(n)));
    std::size_t size = 0;
    for (std::size_t plane = 0; plane < width; ++plane) {
      const std::span<std::byte> to = std::span(room).subspan(size, ZSTD_compressBound(n));
      const std::size_t packed = pack_plane(plane, std::span(planes).subspan(plane * n, n), to);
      if (packed == SIZE_MAX) return SIZE_MAX;
      size += packed;
    }
    return size;
  }

  /// Appends a frame to `out`: width of a residual, order, whether zstd was of no use, two seeds,
  /// the residuals' bytes by weight.
  template <typename U>
  void frame(std::span<const U> v, Bytes& out) {
    const std::size_t n = v.size();
    const U middle = middle_of(v);
    const int order = best_order(v, middle);
    std::array<U, kFrameSamples> z;
    const U all = residuals(v, order, middle, z.data());
    const auto width = static_cast<std::size_t>((std::bit_width(all) + 7) / 8);
    const std::size_t plain_size = width * n;
    for (std::size_t b = 0; b < width; ++b) {
      for (std::size_t i = 0; i < n; ++i)
        planes[b * n + i] = static_cast<std::byte>(z[i] >> (8 * b) & 0xff);
    }
    const std::size_t packed = pack_planes(width, n);
    const bool plain = width > 0 && packed >= plain_size;
    std::array<std::byte, kFrameFix> head;
    std::byte* at = head.data();
    put(at, static_cast<std::uint8_t>(width));
    put(at, static_cast<std::uint8_t>(order));
    put(at, static_cast<std::uint8_t>(plain));
    put(at, std::uint8_t{0});
    put(at, static_cast<std::uint64_t>(order == 0 ? middle : v[0]));
    put(at, static_cast<std::uint64_t>(order == 2 && n > 1 ? v[1] - v[0] : U{0}));
    out.insert(out.end(), head.begin(), head.end());
    const std::byte* body = plain ? planes.data() : room.data();
    out.insert(out.end(), body, body + (plain ? plain_size : packed));
  }

  template <typename U>
  Packed frames(PackedHead head, std::span<const U> v, std::size_t plain_bytes) {
    Packed out;
    kind.fill(Plane::unknown);
    for (std::size_t at = 0; at < v.size(); at += kFrameSamples) {
      frame(v.subspan(at, std::min<std::size_t>(kFrameSamples, v.size() - at)), out.data);
      head.ends.push_back(static_cast<std::uint32_t>(out.data.size()));
    }
    if (static_cast<double>(out.data.size()) > kPays * static_cast<double>(plain_bytes)) return {};
    out.head = encode_head(head);
    return out;
  }
};

Packer::Packer() : work_(std::make_unique<Work>()) {}
Packer::~Packer() = default;
Packer::Packer(Packer&&) noexcept = default;
Packer& Packer::operator=(Packer&&) noexcept = default;

Packed Packer::samples(std::span<const double> values, Encoding encoding,
                       std::optional<Lattice>& lattice) {
  Work& w = *work_;
  const std::size_t plain = values.size() * bytes_per_sample(encoding);
  PackedHead head;
  if (find_lattice(encoding, values, lattice, w.numbers)) {
    head.form = PackedHead::Form::numbers;
    head.lattice = *lattice;
    return w.frames<std::uint32_t>(head, w.numbers, plain);
  }
  w.bits4.resize(values.size());
  bool floats = true;
  for (std::size_t i = 0; i < values.size() && floats; ++i) {
    const auto f = static_cast<float>(values[i]);
    floats = same_bits(static_cast<double>(f), values[i]);
    w.bits4[i] = std::bit_cast<std::uint32_t>(f);
  }
  if (floats) {
    head.form = PackedHead::Form::bits4;
    return w.frames<std::uint32_t>(head, w.bits4, plain);
  }
  head.form = PackedHead::Form::bits8;
  w.bits8.resize(values.size());
  std::memcpy(w.bits8.data(), values.data(), values.size() * 8);
  return w.frames<std::uint64_t>(head, w.bits8, plain);
}

Packed Packer::times(std::span<const std::int64_t> ticks) {
  PackedHead head;
  head.form = PackedHead::Form::ticks;
  work_->bits8.resize(ticks.size());
  std::memcpy(work_->bits8.data(), ticks.data(), ticks.size() * 8);
  return work_->frames<std::uint64_t>(head, work_->bits8, ticks.size() * 8);
}

// --- unpacking ----------------------------------------------------------------------------------

struct Unpacker::Work {
  struct Free {
    void operator()(ZSTD_DCtx* c) const { ZSTD_freeDCtx(c); }
  };
  std::unique_ptr<ZSTD_DCtx, Free> zstd{ZSTD_createDCtx()};
  Bytes planes;
  std::array<std::uint32_t, kFrameSamples> v4;
  std::array<std::uint64_t, kFrameSamples> v8;

  template <typename U>
  bool frame(std::span<const std::byte> bytes, std::size_t n, U* out) {
    if (bytes.size() < kFrameFix || n == 0 || n > kFrameSamples) return false;
    const std::byte* at = bytes.data();
    const auto width = take<std::uint8_t>(at), order = take<std::uint8_t>(at),
               plain = take<std::uint8_t>(at);
    ++at;
    const auto seed = static_cast<U>(take<std::uint64_t>(at)),
               slope = static_cast<U>(take<std::uint64_t>(at));
    if (width > sizeof(U) || order > 2 || plain > 1) return false;
    const std::span<const std::byte> body = bytes.subspan(kFrameFix);
    const std::byte* source = body.data();
    if (plain) {
      if (body.size() != width * n) return false;
    } else if (width > 0) {
      planes.resize(width * n);
      if (ZSTD_decompressDCtx(zstd.get(), planes.data(), planes.size(), body.data(), body.size()) !=
          planes.size())
        return false;
      source = planes.data();
    } else if (!body.empty()) {
      return false;
    }
    join(width, source, n, out);
    if (order == 0) {
      for (std::size_t i = 0; i < n; ++i) out[i] += seed;
    } else {
      U value = seed, step = slope;
      out[0] = seed;
      for (std::size_t i = 1; i < n; ++i) {
        step = order == 1 ? out[i] : i == 1 ? slope : step + out[i];
        value += step;
        out[i] = value;
      }
    }
    return true;
  }
};

Unpacker::Unpacker() : work_(std::make_unique<Work>()) {}
Unpacker::~Unpacker() = default;
Unpacker::Unpacker(Unpacker&&) noexcept = default;
Unpacker& Unpacker::operator=(Unpacker&&) noexcept = default;

bool Unpacker::samples(const PackedHead& head, Encoding encoding, std::span<const std::byte> frame,
                       std::span<double> out) {
  Work& w = *work_;
  switch (head.form) {
    case PackedHead::Form::numbers: {
      if (!w.frame(frame, out.size(), w.v4.data())) return false;
      const Lattice l = head.lattice;
      const auto number = [&](std::size_t i) {
        return static_cast<double>(static_cast<std::int32_t>(w.v4[i]));
      };
      if (l.divisor == 1) {
        for (std::size_t i = 0; i < out.size(); ++i) out[i] = l.gain * number(i) + l.offset;
      } else {
        for (std::size_t i = 0; i < out.size(); ++i)
          out[i] = l.gain * (number(i) / l.divisor) + l.offset;
      }
      if (encoding == Encoding::f4) {
        for (double& v : out) v = rounded(v, encoding);
      }
      return true;
    }
    case PackedHead::Form::bits4:
      if (!w.frame(frame, out.size(), w.v4.data())) return false;
      for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = static_cast<double>(std::bit_cast<float>(w.v4[i]));
      return true;
    case PackedHead::Form::bits8:
      if (!w.frame(frame, out.size(), w.v8.data())) return false;
      std::memcpy(out.data(), w.v8.data(), out.size() * 8);
      return true;
    case PackedHead::Form::ticks:
      return false;
  }
  return false;
}

bool Unpacker::times(std::span<const std::byte> frame, std::span<std::int64_t> out) {
  if (!work_->frame(frame, out.size(), work_->v8.data())) return false;
  std::memcpy(out.data(), work_->v8.data(), out.size() * 8);
  return true;
}

}  // namespace kuvio::book
