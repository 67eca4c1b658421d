// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/endpoint.h"

#include "core/error.h"
#include "core/quantity.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <optional>
#include <stdexcept>

namespace kuvio::acquire {
namespace {

[[noreturn]] void wrong(const std::string& text, const std::string& why) {
  throw Error(Failure::usage, "bad input address", text, why);
}

struct Scheme {
  const char* name;
  Protocol protocol;
  const char *over, *example;
};
constexpr std::array kSchemes{
    Scheme{"scpi+tcp", Protocol::scpi, "tcp", "scpi+tcp://HOST:PORT"},
    Scheme{"scpi+serial", Protocol::scpi, "serial", "scpi+serial:/dev/ttyUSB0?baud=9600"},
    Scheme{"usbtmc", Protocol::scpi, "usbtmc", "usbtmc:/dev/usbtmc0"},
    Scheme{"lines+tcp", Protocol::lines, "tcp", "lines+tcp://HOST:PORT"},
    Scheme{"lines+serial", Protocol::lines, "serial", "lines+serial:/dev/ttyUSB0?baud=115200"},
    Scheme{"lines", Protocol::lines, "file", "lines:/path/of/a/pipe/or/file"},
    Scheme{"stream+tcp", Protocol::stream, "tcp", "stream+tcp://HOST:PORT"},
    Scheme{"stream+serial", Protocol::stream, "serial", "stream+serial:/dev/ttyACM0"},
    Scheme{"stream", Protocol::stream, "file", "stream:/path/of/a/pipe"},
    Scheme{"log+serial", Protocol::log, "serial", "log+serial:/dev/ttyUSB1?baud=115200"},
    Scheme{"log+tcp", Protocol::log, "tcp", "log+tcp://HOST:PORT"},
    Scheme{"sysfs", Protocol::sysfs, "sysfs", "sysfs:/sys/class/hwmon/hwmon0"},
};

struct Option {
  const char* name;
  std::optional<Protocol> protocol = {};  // for it alone
  std::string_view over = {};             // for what is carried by it alone
};
constexpr std::array kOptions{
    Option{"name"},
    Option{"time_scale"},
    Option{"baud", {}, "serial"},
    Option{"stamped", Protocol::log},
    Option{"rate", Protocol::lines},
    Option{"columns", Protocol::lines},
    Option{"decimal", Protocol::lines},
    Option{"samples", Protocol::lines},
    Option{"rate", Protocol::sysfs},
};

/// %20 and its like.
std::string decoded(const std::string& text, const std::string& whole) {
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] != '%') {
      out += text[i];
      continue;
    }
    int code = -1;
    if (i + 2 < text.size()) {
      const auto [end, failed] = std::from_chars(&text[i + 1], &text[i + 1] + 2, code, 16);
      if (failed != std::errc{} || end != &text[i + 1] + 2) code = -1;
    }
    if (code < 0)
      wrong(whole, "a % must be followed by two hexadecimal digits (%25 is a % itself)");
    out += static_cast<char>(code);
    i += 2;
  }
  return out;
}

void read_options(Endpoint& out, const std::string& list) {
  std::size_t at = 0;
  while (at < list.size()) {
    const auto end = std::min(list.find('&', at), list.size());
    const std::string pair = list.substr(at, end - at);
    const auto equals = pair.find('=');
    if (equals == std::string::npos) wrong(out.text, "\"" + pair + "\" is not NAME=VALUE");
    const std::string name = pair.substr(0, equals);
    std::string known;
    bool good = false;
    for (const Option& o : kOptions) {
      if (o.protocol && o.protocol != out.protocol) continue;
      if (!o.over.empty() && o.over != out.over) continue;
      good |= name == o.name;
      known += (known.empty() ? "" : ", ") + std::string(o.name);
    }
    if (!good) wrong(out.text, "there is no option \"" + name + "\" here; there are " + known);
    out.options[name] = decoded(pair.substr(equals + 1), out.text);
    at = end + 1;
  }
}

void read_host(Endpoint& out, const std::string& rest, const std::string& example) {
  const auto split = rest.rfind(':');
  if (!rest.starts_with("//") || split == std::string::npos || split < 2)
    wrong(out.text, "expected " + example);
  out.host = rest.substr(2, split - 2);
  if (out.host.starts_with('[') && out.host.ends_with(']'))  // IPv6, as in URIs
    out.host = out.host.substr(1, out.host.size() - 2);
  const std::string port = rest.substr(split + 1);
  const auto [end, failed] = std::from_chars(port.data(), port.data() + port.size(), out.port);
  if (out.host.empty() || failed != std::errc{} || end != port.data() + port.size() ||
      out.port < 1 || out.port > 65535) {
    wrong(out.text, "expected " + example);
  }
}

}  // namespace

std::string Endpoint::option(const std::string& name, const std::string& otherwise) const {
  const auto it = options.find(name);
  return it == options.end() ? otherwise : it->second;
}

double Endpoint::rate_hz() const {
  const std::string given = option("rate");
  if (given.empty()) return 0;
  const bool bare = given.find_first_not_of("0123456789.") == std::string::npos;
  try {
    const double rate = parse_quantity(bare ? given + " Hz" : given, Dimension::frequency);
    if (rate > 0) return rate;
  } catch (const std::invalid_argument&) {  // reported below
  }
  wrong(text, "rate must be greater than zero, e.g. rate=50 or rate=2%20kHz");
}

std::string with_option(const std::string& address, const std::string& name,
                        const std::string& value) {
  const auto question = address.find('?');
  std::string list;
  const auto add = [&](const std::string& pair) { list += (list.empty() ? "?" : "&") + pair; };
  for (std::size_t at = question; at < address.size();) {
    const auto end = std::min(address.find('&', at + 1), address.size());
    const std::string pair = address.substr(at + 1, end - at - 1);
    if (!pair.empty() && !pair.starts_with(name + "=")) add(pair);
    at = end;
  }
  if (!value.empty()) {
    std::string safe;
    for (const char c : value) {
      if (c == ' ' || c == '%' || c == '&' || c == '?' || c == '#') {
        safe += fmt::format("%{:02X}", static_cast<unsigned>(c));
      } else {
        safe += c;
      }
    }
    add(name + "=" + safe);
  }
  return address.substr(0, question) + list;
}

Endpoint parse_endpoint(const std::string& text) {
  Endpoint out;
  out.text = text;
  const auto colon = text.find(':');
  if (colon == std::string::npos) wrong(text, "expected scpi+tcp://HOST:PORT or log+serial:/dev/…");
  const std::string name = text.substr(0, colon);
  const auto scheme = std::find_if(kSchemes.begin(), kSchemes.end(),
                                   [&](const Scheme& s) { return name == s.name; });
  if (scheme == kSchemes.end()) {
    std::string known;
    for (const Scheme& s : kSchemes) known += (known.empty() ? "" : ", ") + std::string(s.name);
    wrong(text, "there is no \"" + name + "\"; there are " + known);
  }
  out.protocol = scheme->protocol;
  out.over = scheme->over;
  std::string rest = text.substr(colon + 1);
  if (const auto question = rest.find('?'); question != std::string::npos) {
    read_options(out, rest.substr(question + 1));
    rest = rest.substr(0, question);
  }
  if (out.over == "tcp") {
    read_host(out, rest, scheme->example);
  } else {
    out.path = decoded(rest.starts_with("//") ? rest.substr(2) : rest, text);
    if (out.path.empty() || out.path[0] != '/')
      wrong(text, "expected an absolute path, e.g. " + std::string(scheme->example));
  }
  return out;
}

}  // namespace kuvio::acquire
