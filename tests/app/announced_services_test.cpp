// SPDX-License-Identifier: GPL-3.0-or-later
// What announces itself by DNS-SD: against an Avahi of the test's own making, and against the real
// daemon on loopback, on a bus of the test's own.

#include "app/engine/announced_services.h"

#include "acquire/endpoint.h"
#include "cli/process.h"

#include "support.h"
#include "wait_for.h"

#include <QDBusContext>
#include <QDBusObjectPath>
#include <QProcess>
#include <QStandardPaths>
#include <QTest>

#include <catch2/catch.hpp>

#include <fstream>

using namespace kuvio;
using namespace kuvio::app;

namespace {

struct Bus {
  QProcess daemon;
  QString address;

  Bus() {
    daemon.start(QStringLiteral("dbus-daemon"),
                 {QStringLiteral("--session"), QStringLiteral("--nofork"),
                  QStringLiteral("--print-address")});
    REQUIRE(daemon.waitForStarted());
    REQUIRE(daemon.waitForReadyRead());
    address = QString::fromLatin1(daemon.readLine()).trimmed();
  }
  ~Bus() {
    daemon.terminate();
    daemon.waitForFinished(2000);
  }
  QDBusConnection connection(const char* name) const {
    return QDBusConnection::connectToBus(address, QLatin1String(name));
  }
};

/// Answers as Avahi does; what it resolves to is the test's.
class Resolver : public QObject, public QDBusContext {
  Q_OBJECT
  Q_CLASSINFO("D-Bus Interface", "org.freedesktop.Avahi.Server")
public:
  QString host = QStringLiteral("192.0.2.7");
  ushort port = 5025;
  int asked = 0;
public slots:
  QDBusObjectPath ServiceBrowserNew(int, int, const QString&, const QString&, uint) {
    return QDBusObjectPath(QStringLiteral("/Client1/ServiceBrowser1"));
  }
  void ResolveService(int interface, int protocol, const QString& name, const QString& type,
                      const QString& domain, int, uint) {
    ++asked;
    setDelayedReply(true);
    QDBusMessage reply = message().createReply();
    reply << interface << protocol << name << type << domain << QStringLiteral("h.local") << 0
          << host << QVariant::fromValue(port) << QVariant(QStringList()) << 0U;
    connection().send(reply);
  }
};

QDBusMessage item(const char* signal, const QString& name, int interface = 2,
                  const char* type = "_scpi-raw._tcp") {
  QDBusMessage out = QDBusMessage::createSignal(
      QStringLiteral("/Client1/ServiceBrowser1"),
      QStringLiteral("org.freedesktop.Avahi.ServiceBrowser"), QLatin1String(signal));
  out << interface << 0 << name << QLatin1String(type) << QStringLiteral("local") << 0U;
  return out;
}

}  // namespace

TEST_CASE("what announces itself is listed once, goes when it goes, and is believed nothing") {
  Bus bus;
  {
    auto serving = bus.connection("avahi");
    Resolver avahi;
    REQUIRE(serving.registerService(QStringLiteral("org.freedesktop.Avahi")));
    REQUIRE(serving.registerObject(QStringLiteral("/"), &avahi, QDBusConnection::ExportAllSlots));
    AnnouncedServices found(bus.connection("kuvio"));
    int changes = 0;
    QObject::connect(&found, &AnnouncedServices::changed, [&] { ++changes; });
    found.look();
    found.look();
    QTest::qWait(100);
    const auto announce = [&](const QDBusMessage& message) { REQUIRE(serving.send(message)); };
    announce(item("ItemNew", QStringLiteral("Acme Source 7")));
    REQUIRE(test::wait_for([&] { return found.all().size() == 1; }));
    CHECK(found.all()[0].name == QStringLiteral("Acme Source 7"));
    CHECK(found.all()[0].address == QStringLiteral("scpi+tcp://192.0.2.7:5025"));
    announce(item("ItemNew", QStringLiteral("Acme Source 7"), 3));  // over another interface
    announce(item("ItemNew", QStringLiteral("Printer"), 2, "_ipp._tcp"));
    // A name with an escape and a line break is shown plainly; what has no address is not listed.
    announce(item("ItemNew", QStringLiteral("bad\x1b[31m\nname")));
    REQUIRE(test::wait_for([&] { return found.all().size() == 2; }));
    CHECK_FALSE(found.all()[1].name.contains(QChar(0x1b)));
    CHECK_FALSE(found.all()[1].name.contains(QLatin1Char('\n')));
    avahi.host = QStringLiteral("fe80::1");
    announce(item("ItemNew", QStringLiteral("six")));
    REQUIRE(test::wait_for([&] { return found.all().size() == 3; }));
    CHECK(acquire::parse_endpoint(found.all()[2].address.toStdString()).host == "fe80::1");
    for (const char* host : {"", "h.local", "1.2.3.4; rm", "192.0.2.7/24"}) {
      avahi.host = QString::fromLatin1(host);
      announce(item("ItemNew", QStringLiteral("no address ") + avahi.host));
    }
    avahi.host = QStringLiteral("192.0.2.7");
    avahi.port = 0;
    announce(item("ItemNew", QStringLiteral("no port")));
    QTest::qWait(200);
    CHECK(found.all().size() == 3);
    announce(item("ItemRemove", QStringLiteral("Acme Source 7")));
    REQUIRE(test::wait_for([&] { return found.all().size() == 2; }));
    CHECK(changes == 4);
    // A network that announces without end fills no memory.
    avahi.port = 5025;
    for (int i = 0; i < 300; ++i) announce(item("ItemNew", QStringLiteral("n%1").arg(i)));
    QTest::qWait(800);
    CHECK(found.all().size() == 64);
  }
  QDBusConnection::disconnectFromBus(QStringLiteral("avahi"));
  QDBusConnection::disconnectFromBus(QStringLiteral("kuvio"));
}

TEST_CASE("without Avahi there is nothing, and it is asked again the next time") {
  Bus bus;
  {
    AnnouncedServices found(bus.connection("kuvio-alone"));
    found.look();
    QTest::qWait(200);
    CHECK(found.all().empty());
    found.look();
    AnnouncedServices nowhere(QDBusConnection(QStringLiteral("no such bus")));
    nowhere.look();
    CHECK(nowhere.all().empty());
  }
  QDBusConnection::disconnectFromBus(QStringLiteral("kuvio-alone"));
}

TEST_CASE("the simulated bench, announced by a real Avahi on loopback, is found and answers") {
  const QString avahi = QStandardPaths::findExecutable(
      QStringLiteral("avahi-daemon"),
      {QStringLiteral("/usr/sbin"), QStringLiteral("/usr/bin"), QStringLiteral("/sbin")});
  const QString publish = QStandardPaths::findExecutable(QStringLiteral("avahi-publish"));
  if (avahi.isEmpty() || publish.isEmpty()) {
    WARN("avahi-daemon and avahi-utils are not installed: not tried");
    return;
  }
  Bus bus;
  const test::Folder folder;
  std::ofstream(folder / "avahi.conf")
      << "[server]\nallow-interfaces=lo\nenable-dbus=yes\nuse-ipv6=no\nhost-name=kuvio-test\n"
         "[publish]\npublish-workstation=no\n[rlimits]\n";
  QProcessEnvironment own = QProcessEnvironment::systemEnvironment();
  own.insert(QStringLiteral("DBUS_SYSTEM_BUS_ADDRESS"), bus.address);
  QProcess daemon, publisher;
  daemon.setProcessEnvironment(own);
  daemon.setProcessChannelMode(QProcess::MergedChannels);
  daemon.start(avahi, {QStringLiteral("--no-drop-root"), QStringLiteral("--no-chroot"),
                       QStringLiteral("--no-rlimits"), QStringLiteral("-f"),
                       QString::fromStdString(folder / "avahi.conf")});
  REQUIRE(daemon.waitForStarted());
  QByteArray said;
  const bool up = test::wait_for([&] {
    said += daemon.readAll();
    return said.contains("startup complete") || daemon.state() == QProcess::NotRunning;
  });
  if (!up || daemon.state() == QProcess::NotRunning) {
    // One of the system's own runs already, or it may not be started by this user.
    WARN("Avahi does not start here: " << said.toStdString());
    daemon.kill();
    daemon.waitForFinished(2000);
    return;
  }
  test::Bench sim({});
  const acquire::Endpoint at = acquire::parse_endpoint(sim.scpi());
  publisher.setProcessEnvironment(own);
  publisher.start(publish, {QStringLiteral("-s"), QStringLiteral("Simulated analyser"),
                            QStringLiteral("_scpi-raw._tcp"), QString::number(at.port)});
  REQUIRE(publisher.waitForStarted());
  {
    AnnouncedServices found(bus.connection("kuvio-real"));
    found.look();
    REQUIRE(test::wait_for([&] { return !found.all().empty(); }));
    CHECK(found.all()[0].name == QStringLiteral("Simulated analyser"));
    CHECK(found.all()[0].address == QString::fromStdString(sim.scpi()));
    publisher.terminate();
    publisher.waitForFinished(3000);
    CHECK(test::wait_for([&] { return found.all().empty(); }));
  }
  QDBusConnection::disconnectFromBus(QStringLiteral("kuvio-real"));
  daemon.terminate();
  daemon.waitForFinished(5000);
}

#include "announced_services_test.moc"
