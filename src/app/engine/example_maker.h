// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QString>

class QProcess;

namespace kuvio::app {

/// Makes the example's book: three builds of a simulated device, recorded over the wires of the
/// simulated bench by kuvio-cli. Takes about a quarter of a minute; goes on beside everything else.
class ExampleMaker : public QObject {
  Q_OBJECT
public:
  explicit ExampleMaker(QObject* parent = nullptr) : QObject(parent) {}
  /// Lets the command line take away what it had made, and end its bench.
  ~ExampleMaker() override;

  /// Where it is put when nobody says otherwise: in the user's documents.
  static QString usualPlace();
  /// Opens the one that is there already, or makes it. Asked again while it works, does nothing.
  void make(const QString& path);
  /// The command line takes away what it had made when it is asked to end.
  void cancel();

signals:
  void working(const QString& what);  ///< empty: it is done
  void made(const QString& path);
  void failed(const QString& why);

private:
  void end(bool good);
  QProcess* process_ = nullptr;
  QString path_;
};

}  // namespace kuvio::app
