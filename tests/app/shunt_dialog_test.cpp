// SPDX-License-Identifier: GPL-3.0-or-later
// A shunt proposed while its task is typed, and given to the channel of its drop.

#include "app/trace/shunt_dialog.h"

#include "app/engine/book_view.h"
#include "book/calibrations.h"
#include "formats/text_import.h"

#include "desk_fixture.h"

#include <QComboBox>
#include <QFile>
#include <QLabel>
#include <QLineEdit>

using namespace kuvio;
using namespace kuvio::app;

namespace {

void type(ShuntDialog& dialog, const char* field, const char* text) {
  auto* line = dialog.findChild<QLineEdit*>(QLatin1String(field));
  REQUIRE(line);
  line->setFocus();
  line->clear();
  QTest::keyClicks(line, QString::fromUtf8(text));
}

QString said(const ShuntDialog& dialog, const char* label) {
  return dialog.findChild<QLabel*>(QLatin1String(label))->text();
}

}  // namespace

TEST_CASE("a shunt is proposed while its task is typed, and one that is there is judged") {
  ShuntDialog dialog(nullptr);
  dialog.show();
  CHECK(said(dialog, "shuntMore").contains(QStringLiteral("how large the peak is")));
  type(dialog, "shuntPeak", "250 mA");
  type(dialog, "shuntRange", "2.048 V");
  // 2.048 V / 0.25 A = 8.192 Ohm, of E24 7.5.
  CHECK(said(dialog, "shuntAnswer").startsWith(QStringLiteral("7.5")));
  type(dialog, "shuntDrop", "50 mV");
  CHECK(said(dialog, "shuntAnswer").startsWith(QStringLiteral("200")));  // mOhm
  CHECK(said(dialog, "shuntMore").contains(QStringLiteral("10.2")));     // A full scale
  type(dialog, "shuntSmallest", "1 uA");
  CHECK(said(dialog, "shuntMore").contains(QStringLiteral("cannot be seen")));
  type(dialog, "shuntOhm", "10 Ohm");
  CHECK(said(dialog, "shuntMore").contains(QStringLiteral("clipped")));
  type(dialog, "shuntPeak", "much");
  CHECK(said(dialog, "shuntAnswer") == QStringLiteral("—"));
  type(dialog, "shuntPeak", "0.5 uA");
  CHECK(said(dialog, "shuntMore").contains(QStringLiteral("smallest current lies below the peak")));
  CHECK_FALSE(dialog.findChild<QPushButton*>(QStringLiteral("shuntUse"))->isVisible());
}

TEST_CASE("what was chosen stands in the field of the drop's channel, in pencil until it is set") {
  test::Opened s;
  const QString log = QString::fromStdString(s.made.folder / "drop.csv");
  {
    QFile file(log);
    REQUIRE(file.open(QIODevice::WriteOnly));
    file.write("t [s],U_shunt [mV]\n");
    for (int i = 0; i < 200; ++i)
      file.write(QStringLiteral("%1,%2\n").arg(i * 0.01).arg(i % 50 < 25 ? 2 : 20).toUtf8());
  }
  {
    book::Book book = book::Book::open(s.made.path, book::Book::Mode::write);
    formats::import_text(book, log.toStdString(), {});
  }
  s.window.openBook(QString::fromStdString(s.made.path));
  REQUIRE(s.wait([&] { return s.window.session().book()->rows.size() == 3; }));
  const std::int64_t imported = s.window.session().book()->rows.back().info.id;
  for (int i = 0; i < 2; ++i) {
    const std::int64_t was = s.view().capture()->info.id;
    s.window.actions().find(QStringLiteral("nextCapture"))->trigger();
    REQUIRE(s.wait([&] { return s.view().capture()->info.id != was; }));
  }
  REQUIRE(s.view().capture()->info.id == imported);
  s.window.actions().find(QStringLiteral("showChannels"))->trigger();
  REQUIRE(s.wait([&] {
    return s.child<QComboBox>("channelWhich")->currentText().contains(QStringLiteral("shunt"));
  }));
  QTest::mouseClick(s.child<QPushButton>("channelChooseShunt"), Qt::LeftButton);
  auto* dialog = s.window.findChild<ShuntDialog*>(QStringLiteral("shuntDialog"));
  REQUIRE(dialog);
  type(*dialog, "shuntPeak", "200 mA");
  type(*dialog, "shuntRange", "25 mV");
  auto* use = dialog->findChild<QPushButton*>(QStringLiteral("shuntUse"));
  CHECK(use->text().contains(QStringLiteral("U_shunt")));
  QTest::mouseClick(use, Qt::LeftButton);
  auto* field = s.child<QLineEdit>("channelShunt");
  CHECK(field->text() == QStringLiteral("120 mOhm"));  // 125, of E24 120
  QTest::keyClick(field, Qt::Key_Return);
  REQUIRE(s.wait(
      [&] { return s.view().capture()->info.channels.front().quantity == Quantity::current; }));
}
