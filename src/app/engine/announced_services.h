// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDBusConnection>
#include <QDBusMessage>
#include <QObject>
#include <QString>

#include <vector>

namespace kuvio::app {

/// An instrument that announces itself by DNS-SD.
struct Announced {
  QString name;     ///< as it calls itself; printable, of any length up to 63 bytes
  QString address;  ///< "scpi+tcp://192.0.2.7:5025"
};

/// Instruments that announce themselves in this network by DNS-SD (RFC 6763) as `_scpi-raw._tcp`,
/// SCPI over plain TCP, as Avahi hears them. Where Avahi does not run there are none. Nothing is
/// connected to. What is announced comes from anybody in the network and is taken for no more than
/// a name and an address to be chosen.
class AnnouncedServices : public QObject {
  Q_OBJECT
public:
  explicit AnnouncedServices(const QDBusConnection& bus, QObject* parent = nullptr);
  ~AnnouncedServices() override;
  /// Begins to listen; what is announced then is reported by `changed`. Asked again it goes on.
  void look();
  const std::vector<Announced>& all() const { return all_; }

signals:
  void changed();

private slots:
  void itemNew(const QDBusMessage& message);
  void itemRemoved(const QDBusMessage& message);

private:
  void resolve(const QVariantList& item);
  static QString key(const QVariantList& item);

  QDBusConnection bus_;
  bool looking_ = false;
  QString browser_;  // its object
  std::vector<Announced> all_;
  std::vector<QString> keys_;  // of all_
};

}  // namespace kuvio::app
