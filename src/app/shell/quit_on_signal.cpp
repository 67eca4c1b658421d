// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/quit_on_signal.h"

#include <sys/socket.h>
#include <unistd.h>

#include <csignal>

namespace kuvio::app {
namespace {

constexpr int kSignals[] = {SIGTERM, SIGINT, SIGHUP};
int to_window = -1;

/// Of a handler nothing but writing to a file is safe.
void pass_on(int) {
  const char one = 1;
  [[maybe_unused]] const ssize_t n = ::write(to_window, &one, 1);
}

}  // namespace

QuitOnSignal::QuitOnSignal(QObject* parent) : QObject(parent) {
  if (::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0, ends_) != 0) return;
  to_window = ends_[0];
  seen_ = new QSocketNotifier(ends_[1], QSocketNotifier::Read, this);
  connect(seen_, &QSocketNotifier::activated, this, [this] {
    char all[16];
    while (::read(ends_[1], all, sizeof all) > 0) {
    }
    emit asked();
  });
  for (const int signal : kSignals) std::signal(signal, pass_on);
}

QuitOnSignal::~QuitOnSignal() {
  if (!seen_) return;
  for (const int signal : kSignals) std::signal(signal, SIG_DFL);
  to_window = -1;
  for (const int end : ends_) ::close(end);
}

}  // namespace kuvio::app
