// SPDX-License-Identifier: GPL-3.0-or-later
// How it looks, as far as that can be measured: contrast, both themes, scale, the portal's request.

#include "app/engine/system_color_scheme.h"
#include "app/style/widgets.h"
#include "app/trace/fan_raster.h"

#include "desk_fixture.h"
#include "wait_for.h"

#include <QDBusMessage>
#include <QLabel>
#include <QProcess>
#include <QPushButton>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

/// Relative luminance and contrast ratio (WCAG 2.1, 1.4.3).
double luminance(const QColor& c) {
  const auto linear = [](double v) {
    return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
  };
  return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
}
double contrast(const QColor& a, const QColor& b) {
  const double x = luminance(a), y = luminance(b);
  return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}

}  // namespace

TEST_CASE("text reaches 4.5 : 1 on every ground it stands on, marks 3 : 1, in both themes") {
  for (const auto kind : {Theme::Kind::paper, Theme::Kind::night}) {
    const Theme t(kind);
    for (const QColor& ground : {t.ground(), t.wash()}) {
      CHECK(contrast(t.text(), ground) >= 4.5);
      CHECK(contrast(t.muted(), ground) >= 4.5);
      CHECK(contrast(t.accent(), ground) >= 4.5);
      CHECK(contrast(t.focus(), ground) >= 3);
    }
    CHECK(contrast(t.border(), t.ground()) >= 3);
    for (std::size_t i = 0; i < 6; ++i) CHECK(contrast(t.ink(i), t.ground()) >= 3);
    CHECK(contrast(t.ground(), t.ink(0)) >= 4.5);  // words on the primary button
    std::map<std::string, std::size_t> fills;
    for (std::size_t i = 0; i < 8; ++i) fills["s" + std::to_string(i)] = i;
    for (const auto& [state, i] : fills)
      CHECK(contrast(t.on(t.fill(state, fills)), t.fill(state, fills).color()) >= 4.5);
  }
}

TEST_CASE("every desk paints in both themes, and nothing of the other stays behind") {
  Opened s;
  for (const auto kind : {Theme::Kind::paper, Theme::Kind::night}) {
    s.window.setTheme(kind);
    for (const DeskInfo& desk : all_desks()) {
      s.window.setDesk(desk.id);
      QTest::qWait(200);
      const QImage image = s.window.grab().toImage();
      // Most of a page is its ground; the other theme's ground is nowhere in large.
      const QRgb own = Theme(kind).ground().rgb();
      const QRgb other = Theme(kind == Theme::Kind::paper ? Theme::Kind::night : Theme::Kind::paper)
                             .ground()
                             .rgb();
      int owned = 0, foreign = 0;
      for (int y = 0; y < image.height(); y += 3) {
        for (int x = 0; x < image.width(); x += 3) {
          owned += image.pixel(x, y) == own;
          foreign += image.pixel(x, y) == other;
        }
      }
      INFO(desk.key);
      const int looked = (image.width() / 3) * (image.height() / 3);
      CHECK(owned > looked / 3);
      CHECK(foreign < looked / 200);
    }
  }
  s.window.setTheme(Theme::Kind::paper);
}

TEST_CASE("no label, button or field is cut off at 1280 x 800") {
  Opened s;
  for (const DeskInfo& desk : all_desks()) {
    s.window.setDesk(desk.id);
    QTest::qWait(200);
    for (QWidget* w : s.window.findChildren<QWidget*>()) {
      if (!w->isVisible()) continue;
      const auto* label = qobject_cast<QLabel*>(w);
      const auto* push = qobject_cast<QPushButton*>(w);
      if (!label && !push) continue;
      INFO(desk.key << ": " << w->objectName().toStdString() << " \""
                    << (label ? label->text() : push->text()).toStdString() << "\"");
      if (label && label->wordWrap()) {
        CHECK(label->height() >= label->heightForWidth(label->width()));
      } else {
        CHECK(w->width() + 1 >= w->minimumSizeHint().width());
      }
      const QRect inside(w->mapTo(&s.window, QPoint(0, 0)), w->size());
      CHECK(s.window.rect().contains(inside));
    }
  }
}

TEST_CASE("bands are painted where they are, and a thread is never lost") {
  QImage image(100, 40, QImage::Format_RGB32);
  image.fill(Qt::white);
  paint_bands(image, 1, {{10, 30, 60, 90, Qt::black}, {5, 5.1, 95, 95.1, Qt::red}});
  CHECK(qGray(image.pixel(20, 0)) < 20);
  CHECK(qGray(image.pixel(45, 0)) > 230);
  CHECK(qGray(image.pixel(75, 39)) < 20);
  CHECK(qGray(image.pixel(20, 39)) > 230);
  for (int y = 0; y < 40; ++y) {
    bool red = false;
    for (int x = 0; x < 100; ++x) {
      const QRgb p = image.pixel(x, y);
      red |= qRed(p) - qGreen(p) > 60;
    }
    CHECK(red);
  }
  CHECK(band_ease(0) == 0);
  CHECK(band_ease(1) == 1);
  CHECK(band_ease(0.5) == 0.5);
}

TEST_CASE("a quantity is read with its unit, and what is none leaves the value as it was") {
  QWidget parent;
  QuantityEdit edit(QStringLiteral("v"), QStringLiteral("Voltage"), Dimension::voltage, &parent);
  edit.setQuantity(3.6);
  CHECK(edit.text() == QStringLiteral("3.6 V"));
  QStringList told;
  QObject::connect(&edit, &QuantityEdit::wrong, [&](const QString& m) { told << m; });
  int edited = 0;
  QObject::connect(&edit, &QuantityEdit::quantityEdited, [&] { ++edited; });
  edit.setText(QStringLiteral("3300 mV"));
  edit.commit();
  CHECK(edited == 1);
  CHECK(*edit.quantity() == Approx(3.3));
  edit.setText(QStringLiteral("2.5"));  // volts, as the line says
  edit.commit();
  CHECK(edited == 2);
  CHECK(*edit.quantity() == Approx(2.5));
  edit.setText(QStringLiteral("12 apples"));
  edit.commit();
  CHECK(edit.isWrong());
  CHECK(*edit.quantity() == Approx(2.5));
  REQUIRE(told.size() == 1);
  CHECK_THAT(told[0].toStdString(), Catch::Contains("Voltage") && Catch::Contains("apples"));
  edit.setText({});
  edit.commit();
  CHECK(edit.isWrong());
}

namespace {

/// A desktop portal of the test's own, on a bus of the test's own.
class Portal : public QObject {
  Q_OBJECT
  Q_CLASSINFO("D-Bus Interface", "org.freedesktop.portal.Settings")
public:
  uint scheme = 1;
public slots:
  QDBusVariant Read(const QString&, const QString&) {
    return QDBusVariant(QVariant::fromValue(QDBusVariant(scheme)));
  }
};

}  // namespace

TEST_CASE("the theme follows what the desktop portal tells, then and later") {
  QProcess daemon;
  daemon.start(
      QStringLiteral("dbus-daemon"),
      {QStringLiteral("--session"), QStringLiteral("--nofork"), QStringLiteral("--print-address")});
  REQUIRE(daemon.waitForStarted());
  REQUIRE(daemon.waitForReadyRead());
  const QString address = QString::fromLatin1(daemon.readLine()).trimmed();
  {
    auto serving = QDBusConnection::connectToBus(address, QStringLiteral("portal"));
    REQUIRE(serving.isConnected());
    Portal portal;
    REQUIRE(serving.registerService(QStringLiteral("org.freedesktop.portal.Desktop")));
    REQUIRE(serving.registerObject(QStringLiteral("/org/freedesktop/portal/desktop"), &portal,
                                   QDBusConnection::ExportAllSlots));
    std::vector<bool> told;
    SystemColorScheme look(QDBusConnection::connectToBus(address, QStringLiteral("window")));
    QObject::connect(&look, &SystemColorScheme::changed, [&](bool dark) { told.push_back(dark); });
    REQUIRE(test::wait_for([&] { return told.size() == 1; }));
    CHECK(told[0]);
    QTest::qWait(50);
    for (const auto& [key, value] : {std::pair{QStringLiteral("contrast"), 1U},
                                     std::pair{QStringLiteral("color-scheme"), 2U}}) {
      QDBusMessage changed = QDBusMessage::createSignal(
          QStringLiteral("/org/freedesktop/portal/desktop"),
          QStringLiteral("org.freedesktop.portal.Settings"), QStringLiteral("SettingChanged"));
      changed << QStringLiteral("org.freedesktop.appearance") << key
              << QVariant::fromValue(QDBusVariant(value));
      REQUIRE(serving.send(changed));
    }
    REQUIRE(test::wait_for([&] { return told.size() == 2; }));
    CHECK_FALSE(told[1]);
  }
  QDBusConnection::disconnectFromBus(QStringLiteral("portal"));
  QDBusConnection::disconnectFromBus(QStringLiteral("window"));
  daemon.terminate();
  daemon.waitForFinished(2000);
}

#include "theme_test.moc"
