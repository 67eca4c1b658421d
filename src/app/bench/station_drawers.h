// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/bench/drawer.h"
#include "app/engine/preferences.h"

#include <QComboBox>

#include <map>

namespace kuvio::app {

/// The drawer of what lies in the path: shunts, each by the channel that reads over it.
class PathDrawer : public DrawerPage {
  Q_OBJECT
public:
  PathDrawer(BenchControl& bench, QWidget* parent);
  void refresh() override;
  std::optional<FieldTrouble> read(RecordRequest& request) const override;
  const std::map<std::string, Shunt>& shunts() const { return shunts_; }
  void setShunts(const std::map<std::string, Shunt>& shunts);
  /// As preferences keep them: "I_shunt: 0.1 Ohm, 0.25 W".
  QStringList written() const;
  static std::map<std::string, Shunt> parsed(const QStringList& written);
  /// Shows the shunt of a channel.
  void choose(const QString& channel);

private:
  void showChosen();
  void takeFields();
  std::map<std::string, Shunt> shunts_;
  QComboBox* channel_;
  QuantityEdit *ohms_, *rating_;
  QLineEdit* accuracy_;
  QPushButton* none_;
};

/// The drawer of the device: which one it is and under what it is measured, its digital lines, its
/// reset, and what is fed beside it.
class DeviceDrawer : public DrawerPage {
  Q_OBJECT
public:
  DeviceDrawer(BenchControl& bench, QWidget* parent);
  void refresh() override;
  std::optional<FieldTrouble> read(RecordRequest& request) const override;
  QString board() const { return board_->text().trimmed(); }
  /// "board=satchel-07", …
  QStringList conditions() const;
  void setConditions(const std::map<std::string, std::string>& conditions);
  void setReset(const QString& how) { reset_how_->setText(how); }
  void reset();

signals:
  void switchRequested(const QString& output, bool on);
  void drawerRequested(const QString& id);

private:
  QStringList otherConditions() const;
  void showLines();
  void showAuxiliary();
  QLineEdit *board_, *tester_, *temperature_, *note_, *others_, *reset_how_;
  QPushButton* reset_;
  QWidget *lines_box_, *auxiliary_box_;
  QList<QPushButton*> lines_, auxiliary_;
};

}  // namespace kuvio::app
