// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/endpoint.h"

#include "core/error.h"

#include <charconv>

namespace kuvio::acquire {
namespace {

[[noreturn]] void wrong(const std::string& text, const std::string& why) {
  throw Error(Failure::usage, "bad input address", text, why);
}

void read_options(Endpoint& out, const std::string& list) {
  std::size_t at = 0;
  while (at < list.size()) {
    const auto end = std::min(list.find('&', at), list.size());
    const std::string pair = list.substr(at, end - at);
    const auto equals = pair.find('=');
    if (equals == std::string::npos) wrong(out.text, "\"" + pair + "\" is not NAME=VALUE");
    const std::string name = pair.substr(0, equals);
    if (name != "baud" && name != "stamped" && name != "time_scale") {
      wrong(out.text,
            "there is no option \"" + name + "\"; there are baud, stamped and time_scale");
    }
    out.options[name] = pair.substr(equals + 1);
    at = end + 1;
  }
}

}  // namespace

Endpoint parse_endpoint(const std::string& text) {
  Endpoint out;
  out.text = text;
  const auto colon = text.find(':');
  if (colon == std::string::npos)
    wrong(text, "it looks like scpi+tcp://HOST:PORT or log+serial:/dev/…");
  const std::string scheme = text.substr(0, colon);
  const auto plus = scheme.find('+');
  out.speaks = scheme.substr(0, plus);
  out.over = plus == std::string::npos ? "" : scheme.substr(plus + 1);
  std::string rest = text.substr(colon + 1);
  if (const auto question = rest.find('?'); question != std::string::npos) {
    read_options(out, rest.substr(question + 1));
    rest = rest.substr(0, question);
  }
  if (out.speaks == "scpi" && out.over == "tcp") {
    if (!rest.starts_with("//")) wrong(text, "scpi+tcp goes on with //HOST:PORT");
    const auto split = rest.rfind(':');
    out.host = rest.substr(2, split == std::string::npos ? split : split - 2);
    const std::string port = split == std::string::npos || split < 2 ? "" : rest.substr(split + 1);
    const auto [end, failed] = std::from_chars(port.data(), port.data() + port.size(), out.port);
    if (out.host.empty() || failed != std::errc{} || end != port.data() + port.size() ||
        out.port < 1 || out.port > 65535) {
      wrong(text, "scpi+tcp goes on with //HOST:PORT");
    }
  } else if (out.speaks == "log" && out.over == "serial") {
    out.path = rest;
    if (rest.empty() || rest[0] != '/') wrong(text, "log+serial goes on with the device's path");
  } else {
    wrong(text, "\"" + scheme + "\" is not supported yet; there are scpi+tcp and log+serial");
  }
  return out;
}

}  // namespace kuvio::acquire
