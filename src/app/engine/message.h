// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

#include <functional>
#include <utility>

namespace kuvio::app {

/// Something said to the user in the message row.
struct Message {
  enum class Weight {
    done,    ///< what was asked for was done
    note,    ///< worth knowing, or why nothing was done
    trouble  ///< something went wrong
  };
  QString text;
  Weight weight = Weight::note;
  QString offer{};              ///< what can be done about it, as a button's label; may be empty
  std::function<void()> run{};  ///< does it

  Message() = default;
  /// A note, unless it says otherwise. Implicit: most of what is said is a sentence alone.
  Message(QString words, Weight how = Weight::note)  // NOLINT(google-explicit-constructor)
      : text(std::move(words)), weight(how) {}
  static Message done(const QString& text) { return {text, Weight::done}; }
  static Message trouble(const QString& text) { return {text, Weight::trouble}; }
};

}  // namespace kuvio::app
