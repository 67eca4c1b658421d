// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/sensor_settings.h"
#include "app/bench/drawer.h"

#include <set>

class QComboBox;
class QMenu;

namespace kuvio::app {

/// The drawer of something that only listens: the device's log, logic lines, another input. Of a
/// serial line its speed, of an input which of its channels are recorded, of a kernel sensor how
/// often it is read and what its driver lets people set.
class ListenerDrawer : public DrawerPage {
  Q_OBJECT
public:
  enum class What { log, logic, input };
  ListenerDrawer(What what, QString address, BenchControl& bench, QWidget* parent);
  void refresh() override;
  std::optional<FieldTrouble> read(RecordRequest& request) const override;
  QStringList logic() const;
  void setLogic(const QStringList& names);
  /// The channels that are not recorded, by name; those of the same station at another speed.
  const std::set<QString>& leftOut() const { return left_out_; }
  void leaveOut(const std::set<QString>& channels) { left_out_ = channels; }

signals:
  void addressChanged(const QString& from, const QString& to);
  void talkRequested(const QString& address);

private:
  void addSpeed();
  void addRate();
  void addChannels();
  void addColumns();
  void refreshColumns(const std::vector<std::string>& heard);
  void readSo();
  void refreshChannels(const QStringList& names);
  void showSensor(const std::vector<acquire::SensorSetting>& settings);
  void updateSensor(const acquire::SensorSetting& setting);
  QWidget* fieldOf(const acquire::SensorSetting& setting);

  What what_;
  QString address_;
  QLineEdit *where_ = nullptr, *logic_ = nullptr;
  QLabel *reads_ = nullptr, *is_ = nullptr;
  QPushButton* channels_ = nullptr;
  QMenu* channel_menu_ = nullptr;
  QStringList known_;           // channels it has
  std::set<QString> left_out_;  // those that are not recorded
  QWidget* sensor_ = nullptr;
  std::vector<acquire::SensorSetting> settings_;  // as last shown
  QLabel* heard_ = nullptr;
  QWidget* columns_box_ = nullptr;
  QPushButton* read_so_ = nullptr;
  QList<QComboBox*> columns_;
  std::size_t cells_ = 0;  // of a line, those without a choice included
};

}  // namespace kuvio::app
