// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/bench/drawer.h"
#include "app/engine/preferences.h"

#include <QCheckBox>
#include <QComboBox>
#include <QSpinBox>

class QVBoxLayout;

namespace kuvio::app {

/// What an address is wired up as.
enum class WiredAs { instrument, log, readings };

/// An address as it was typed: a full one as it is; a bare host or host:port is an instrument's; a
/// device file goes by what it is said to be. What is wrong with it otherwise.
struct TypedAddress {
  QString address;
  WiredAs as = WiredAs::instrument;
  QString trouble;
};
TypedAddress typed_address(const QString& typed, WiredAs as);

/// What is plugged in, an address to type, addresses used before, and the simulated bench.
class PlugDrawer : public DrawerPage {
  Q_OBJECT
public:
  PlugDrawer(BenchControl& bench, const Preferences& preferences, QWidget* parent);
  /// Looks for what is plugged in.
  void look();
  void refresh() override;
  QString simulatedBuild() const { return build_->currentText(); }
  /// What is listed, in words; for tests.
  QStringList listed() const;

signals:
  void wired(kuvio::app::WiredAs as, const QString& address);
  void simulateRequested(const QString& build, int speed, bool more);

private:
  void makeFound();
  void makeTyped();
  void makeSimulated();
  void list();
  void addRowOf(const QString& words, const QString& trouble,
                const QList<std::pair<WiredAs, QString>>& addresses);
  void takeTyped();

  const Preferences& preferences_;
  std::vector<acquire::PluggedIn> plugged_;
  QVBoxLayout* found_ = nullptr;
  QList<QWidget*> rows_;
  QLabel* none_ = nullptr;
  QLineEdit* address_ = nullptr;
  QComboBox *as_ = nullptr, *build_ = nullptr;
  QSpinBox* speed_ = nullptr;
  QCheckBox* more_ = nullptr;
  QPushButton *add_ = nullptr, *simulate_ = nullptr;
};

}  // namespace kuvio::app
