// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/plugged_in.h"

#include "book/text.h"

#include <grp.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <fstream>
#include <set>

namespace kuvio::acquire {
namespace {

namespace fs = std::filesystem;

/// Names of what stands in a folder, in order; none where there is no such folder.
std::vector<fs::path> entries(const fs::path& folder) {
  std::vector<fs::path> out;
  std::error_code failed;
  for (fs::directory_iterator i(folder, failed), end; !failed && i != end; i.increment(failed))
    out.push_back(i->path());
  std::sort(out.begin(), out.end());
  return out;
}

std::string first_line(const fs::path& file) {
  std::ifstream in(file);
  std::string line;
  std::getline(in, line);
  return book::printable(line);
}

std::string why_not(const fs::path& file) {
  if (::access(file.c_str(), R_OK | W_OK) == 0) return {};
  struct stat info {};
  if (::stat(file.c_str(), &info) != 0) return "it is gone";
  std::array<char, 4096> buffer;
  group of{}, *found = nullptr;
  if (::getgrgid_r(info.st_gid, &of, buffer.data(), buffer.size(), &found) == 0 && found &&
      (info.st_mode & S_IRGRP))
    return std::string("no rights: the group ") + found->gr_name + " has them";
  return "no rights to open it";
}

bool begins(const std::string& text, const char* with) { return text.rfind(with, 0) == 0; }

/// "usb-FTDI_TTL232R_AB01-if00-port0" in words.
std::string in_words(std::string id) {
  if (begins(id, "usb-")) id.erase(0, 4);
  if (const auto interface = id.rfind("-if"); interface != std::string::npos) id.erase(interface);
  std::replace(id.begin(), id.end(), '_', ' ');
  return book::printable(id);
}

void add_serial(const fs::path& root, std::vector<PluggedIn>& out) {
  std::set<std::string> named;
  for (const fs::path& link : entries(root / "dev/serial/by-id")) {
    std::error_code failed;
    const fs::path port = fs::canonical(link, failed);
    if (failed) continue;
    named.insert(port.filename());
    out.push_back({PluggedIn::Kind::serial, link, in_words(link.filename()), why_not(link)});
  }
  for (const fs::path& port : entries(root / "dev")) {
    const std::string name = port.filename();
    if ((begins(name, "ttyUSB") || begins(name, "ttyACM")) && named.count(name) == 0)
      out.push_back({PluggedIn::Kind::serial, port, name, why_not(port)});
  }
}

void add_usbtmc(const fs::path& root, std::vector<PluggedIn>& out) {
  for (const fs::path& port : entries(root / "dev")) {
    const std::string name = port.filename();
    if (!begins(name, "usbtmc")) continue;
    // The class entry's device is the interface; what it is called stands at the device above it.
    const fs::path device = root / "sys/class/usbmisc" / name / "device/..";
    std::string words;
    for (const char* part : {"manufacturer", "product", "serial"}) {
      const std::string text = first_line(device / part);
      if (!text.empty()) words += (words.empty() ? "" : " ") + text;
    }
    out.push_back({PluggedIn::Kind::usbtmc, port, words.empty() ? name : words, why_not(port)});
  }
}

/// Whether a folder has a file that a current or a voltage is read from.
bool measures(const fs::path& folder) {
  for (const fs::path& file : entries(folder)) {
    const std::string name = file.filename();
    const bool ends = name.ends_with("_input") || name.ends_with("_raw");
    if (ends && (begins(name, "curr") || begins(name, "in_current") || begins(name, "in_voltage") ||
                 (begins(name, "in") && name.size() > 2 && name[2] >= '0' && name[2] <= '9')))
      return true;
  }
  return false;
}

void add_sensors(const fs::path& root, std::vector<PluggedIn>& out) {
  for (const char* where : {"sys/class/hwmon", "sys/bus/iio/devices"}) {
    for (const fs::path& folder : entries(root / where)) {
      if (!measures(folder)) continue;
      const std::string name = first_line(folder / "name");
      const std::string place = book::printable(folder.filename().string());
      out.push_back({PluggedIn::Kind::sensor, folder, name.empty() ? place : name + " at " + place,
                     ::access(folder.c_str(), R_OK) == 0 ? "" : "no rights to read it"});
    }
  }
}

}  // namespace

std::vector<PluggedIn> plugged_in(const fs::path& root) {
  std::vector<PluggedIn> out;
  add_usbtmc(root, out);
  add_serial(root, out);
  add_sensors(root, out);
  return out;
}

std::string address_as_instrument(const PluggedIn& what) {
  switch (what.kind) {
    case PluggedIn::Kind::usbtmc:
      return "usbtmc:" + what.path;
    case PluggedIn::Kind::serial:
      return "scpi+serial:" + what.path;
    case PluggedIn::Kind::sensor:
      break;
  }
  return {};
}

std::string address_as_log(const PluggedIn& what) {
  return what.kind == PluggedIn::Kind::serial ? "log+serial:" + what.path + "?baud=115200" : "";
}

std::string address_as_readings(const PluggedIn& what) {
  switch (what.kind) {
    case PluggedIn::Kind::serial:
      return "lines+serial:" + what.path;
    case PluggedIn::Kind::sensor:
      return "sysfs:" + what.path;
    case PluggedIn::Kind::usbtmc:
      break;
  }
  return {};
}

}  // namespace kuvio::acquire
