// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/bench/drawer.h"

#include <QCheckBox>
#include <QComboBox>

namespace kuvio::app {

/// The drawer of a source: what one output is set to and never above, and of its instrument how it
/// is reached, spoken to and how well it measures (with the first output alone).
class SourceDrawer : public DrawerPage {
  Q_OBJECT
public:
  SourceDrawer(QString output, bool first, BenchControl& bench, QWidget* parent);
  void refresh() override;
  std::optional<FieldTrouble> read(RecordRequest& request) const override;
  /// What the output is set to, as the instrument reports it; what is in pencil stays.
  void showSettings();
  /// What is written and not set, for the wire; "" when everything holds.
  QString pencil() const;
  /// Whether every field shows what the output has. What cannot be understood is said, and is no
  /// reason to power a device.
  bool holds();
  void proposeLimit(double amperes);
  const QString& output() const { return output_; }
  /// The first output's name, once it is known.
  void setOutput(const QString& name) { output_ = name; }
  /// Shows what the instrument reports anew: at first, and where it is another than before.
  void followSettings();
  QString accuracy() const { return accuracy_ ? accuracy_->text().trimmed() : QString(); }
  void take(const acquire::RecordSettings& record, const acquire::InputSettings& input);
  QString profile() const { return profile_ ? profile_->text().trimmed() : QString(); }
  void setProfile(const QString& file);
  void setAddress(const QString& address);
  /// Voltages that were set before (V), the last one first: offered beside the field, in pencil.
  void setUsed(const std::vector<double>& volts) { used_volts_ = volts; }
  bool recordsVoltage() const { return !record_voltage_ || record_voltage_->isChecked(); }

signals:
  void tryRequested();
  void disconnectRequested();
  void talkRequested();
  void connectRequested();
  /// A voltage was set by hand.
  void voltageSet(double volts);
  void ceilingSet(const QString& output, const kuvio::acquire::Ceiling& ceiling);

private:
  void makeSettings();
  void makeInstrument();
  void makeMeasuring();
  void showRanges();
  void setVoltage();
  void askBigStep(double volts);
  void takeCeiling();
  void setCeiling(const acquire::Ceiling& ceiling);
  void proposeCeiling();
  const acquire::OutputState* settings() const;

  QString output_;
  bool first_;
  QuantityEdit *voltage_, *limit_, *most_volts_, *most_amperes_;
  QComboBox* over_current_;
  QLineEdit *address_ = nullptr, *profile_ = nullptr, *accuracy_ = nullptr;
  QComboBox* range_ = nullptr;
  QCheckBox* record_voltage_ = nullptr;
  QPushButton *try_ = nullptr, *zero_ = nullptr, *connect_ = nullptr, *disconnect_ = nullptr;
  QWidget* big_step_ = nullptr;
  QPushButton *set_big_, *keep_;
  double big_volts_ = 0;
  QPushButton* used_;
  std::vector<double> used_volts_;
  std::optional<acquire::OutputState> shown_;  // as last reported
  QString wanted_range_;                       // that a set-up wants, until the ranges are known
};

}  // namespace kuvio::app
