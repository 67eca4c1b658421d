// SPDX-License-Identifier: GPL-3.0-or-later
// A capture's channels put right beside the lanes: zero, gain, shunt; and channels made of others.

#include "app/trace/channels_margin.h"

#include "app/engine/book_view.h"
#include "app/style/field_note.h"
#include "book/calibrations.h"
#include "book/channel_trace.h"

#include "desk_fixture.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>

using namespace kuvio;
using namespace kuvio::app;
using test::Opened;

namespace {

struct Channels : Opened {
  Channels() {
    window.actions().find(QStringLiteral("showChannels"))->trigger();
    REQUIRE(wait([&] { return child<QComboBox>("channelWhich")->count() == 1; }));
  }
  void type(const char* field, const char* text) {
    auto* line = child<QLineEdit>(field);
    line->setFocus();
    line->clear();
    QTest::keyClicks(line, QString::fromUtf8(text));
  }
  void press(const char* name) { QTest::mouseClick(child<QPushButton>(name), Qt::LeftButton); }
  double mean(const char* state) {
    const LedgerRow* row =
        view().capture()->ledger ? view().capture()->ledger->find(state) : nullptr;
    return row && row->mean ? *row->mean : 0;
  }
  QStringList channels() {
    QStringList out;
    for (const auto& c : view().capture()->info.channels) out << QString::fromStdString(c.name);
    return out;
  }
};

}  // namespace

TEST_CASE("a gain is set beside the lanes: every figure follows, and undo brings it back") {
  Channels s;
  const double before = s.mean("Locate");
  CHECK(before == Approx(28e-3).epsilon(0.01));
  s.type("channelGain", "1.1");
  CHECK(s.mean("Locate") == before);  // in pencil
  QTest::keyClick(s.child<QLineEdit>("channelGain"), Qt::Key_Return);
  REQUIRE(s.wait([&] { return std::fabs(s.mean("Locate") / before - 1.1) < 1e-9; }));
  REQUIRE(s.wait(
      [&] { return s.child<QLabel>("channelAbout")->text().contains(QStringLiteral("ain 1.1")); }));
  CHECK(s.view().capture()->visits.size() > 6);  // split again by its recipe
  s.type("channelGain", "much");
  s.press("channelSet");
  CHECK_FALSE(FieldNote::at(s.child<QLineEdit>("channelGain")).isEmpty());
  s.window.session().history()->undo();
  REQUIRE(s.wait([&] { return std::fabs(s.mean("Locate") - before) < 1e-12; }));
  s.window.session().history()->redo();
  REQUIRE(s.wait([&] { return std::fabs(s.mean("Locate") / before - 1.1) < 1e-9; }));
  REQUIRE(s.wait([&] { return s.child<QPushButton>("channelReset")->isEnabled(); }));
  s.press("channelReset");
  REQUIRE(s.wait([&] { return std::fabs(s.mean("Locate") - before) < 1e-12; }));
}

TEST_CASE("the keys of undo are the window's again once a field has done what was typed") {
  Channels s;
  const double before = s.mean("Locate");
  auto* field = s.child<QLineEdit>("channelGain");
  s.type("channelGain", "1.1");
  QTest::keyClick(field, Qt::Key_Z, Qt::ControlModifier);  // what was typed
  CHECK(field->text() != QStringLiteral("1.1"));
  s.type("channelGain", "1.1");
  QTest::keyClick(field, Qt::Key_Return);
  REQUIRE(s.wait([&] { return std::fabs(s.mean("Locate") / before - 1.1) < 1e-9; }));
  REQUIRE(s.wait([&] { return !field->isUndoAvailable(); }));
  REQUIRE(field->hasFocus());
  QTest::keyClick(field, Qt::Key_Z, Qt::ControlModifier);
  REQUIRE(s.wait([&] { return std::fabs(s.mean("Locate") - before) < 1e-12; }));
  QTest::keyClick(field, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  REQUIRE(s.wait([&] { return std::fabs(s.mean("Locate") / before - 1.1) < 1e-9; }));
}

TEST_CASE("a zero is taken from the span that is marked") {
  Channels s;
  CHECK_FALSE(s.child<QPushButton>("channelZeroHere")->isEnabled());
  s.view().setSpan(1, 7);  // at rest: 3 uA
  REQUIRE(s.wait([&] { return s.child<QPushButton>("channelZeroHere")->isEnabled(); }));
  s.press("channelZeroHere");
  REQUIRE(s.wait([&] {
    return s.child<QLabel>("channelZero")->text().contains(QStringLiteral("1 s to 7 s"));
  }));
  const book::Book book = book::Book::open(s.made.path, book::Book::Mode::read);
  const auto all = book::calibrations(book, s.made.capture);
  REQUIRE(all.count("I") == 1);
  CHECK(all.at("I").zero->mean == Approx(3e-6).epsilon(1e-3));
  const book::CaptureInfo info = book.capture(s.made.capture);
  CHECK(*measure(book::ChannelTrace(book, info.channels.front()), 1, 7).mean() ==
        Approx(0).margin(1e-9));
  s.press("channelNoZero");
  REQUIRE(s.wait([&] { return s.child<QLabel>("channelZero")->text() == QStringLiteral("none"); }));
}

TEST_CASE("a channel made of another is a lane like any, and goes again") {
  Channels s;
  auto* form = s.child<QComboBox>("channelForm");
  form->setCurrentIndex(form->findText(QStringLiteral("running integral")));
  emit form->activated(form->currentIndex());
  s.press("channelMake");
  CHECK_FALSE(FieldNote::at(s.child<QLineEdit>("channelNewName")).isEmpty());
  s.type("channelNewName", "Q");
  s.press("channelMake");
  REQUIRE(s.wait([&] { return s.channels() == QStringList{"I", "Q"}; }));
  REQUIRE(s.wait([&] { return s.child<QComboBox>("channelWhich")->count() == 2; }));
  CHECK(s.view().capture()->info.channels[1].quantity == Quantity::charge);
  // What it is made of changes: it is made again, in the same step.
  s.type("channelGain", "2");
  s.press("channelSet");
  const auto charge = [&] {
    const book::Book book = book::Book::open(s.made.path, book::Book::Mode::read);
    const book::CaptureInfo info = book.capture(s.made.capture);
    const book::ChannelTrace q(book, *info.channel("Q"));
    return measure(q).max.value_or(0);
  };
  const double once = s.view().capture()->ledger->charge;
  REQUIRE(s.wait([&] { return std::fabs(s.view().capture()->ledger->charge / once - 2) < 1e-6; }));
  CHECK(charge() == Approx(2 * once).epsilon(1e-4));
  s.window.session().history()->undo();
  REQUIRE(s.wait([&] { return std::fabs(s.view().capture()->ledger->charge / once - 1) < 1e-6; }));
  CHECK(charge() == Approx(once).epsilon(1e-4));
  s.window.session().history()->undo();
  REQUIRE(s.wait([&] { return s.channels() == QStringList{"I"}; }));
}
