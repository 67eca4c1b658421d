// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/desk.h"
#include "app/engine/bench_control.h"
#include "app/engine/preferences.h"
#include "app/style/widgets.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QMenu>
#include <QPlainTextEdit>
#include <QRadioButton>
#include <QRandomGenerator>
#include <QSpinBox>

class QFormLayout;

namespace kuvio::app {

class LiveChannelsView;
class ReadingsView;
class WiringView;

/// The Bench desk: what is connected, what it is set to and reads, what to answer before one
/// starts, and what will be recorded; the device's console.
class BenchDesk : public Desk {
  Q_OBJECT
public:
  BenchDesk(const Context& context, Preferences& preferences, QWidget* parent = nullptr);
  void enter() override;
  std::vector<FootPart> foot() const override;
  void applyTheme() override;
  /// What the fields say is to be recorded; nothing when one of them is wrong, which is reported.
  std::optional<RecordRequest> request(bool power_on);

signals:
  void preferencesChanged();

private:
  QWidget* makeInputs();
  QWidget* makeOutput();
  QWidget* makeConditions();
  QWidget* makeRecording();
  QWidget* makeConsole();
  void makeActions();
  void refresh();
  void refreshButtons();
  QString statusText() const;
  QString settledText() const;
  QString roomText() const;
  void connectAddresses();
  void startSimulated();
  bool settingsHold();
  void record(bool power_on);
  void askWhetherFromOff(const RecordRequest& request);
  void sendLine();
  void markNow();
  void refreshOutputs();
  void refreshLines();
  void refreshSettings();
  void refreshRanges();
  void resetDevice();
  QString chosenOutput() const;
  std::optional<std::map<std::string, double>> shunts();
  QMenu* makeSetupMenu();
  void openSetup();
  void saveSetup();
  void takeSetup(const acquire::BenchSetup& setup);
  void rememberSetup(const QString& file);
  void tryProfile();
  void showTried(const std::vector<acquire::CheckStep>& steps, const QString& trouble);
  std::optional<acquire::Trigger> trigger(QLineEdit* field, const QString& what);

  Context context_;
  Preferences& preferences_;
  QLineEdit *output_address_, *log_address_, *other_addresses_, *profile_, *shunts_;
  QPushButton *connect_, *simulate_, *try_, *zero_, *setup_;
  QLabel *zero_text_, *settled_;
  WiringView* wiring_;
  QFormLayout* settings_form_;
  QComboBox *which_, *range_;
  LiveChannelsView* channels_;
  QComboBox* simulated_build_;
  QSpinBox* simulated_speed_;
  QLabel *status_, *identity_;
  ReadingsView* readings_;
  QuantityEdit *voltage_, *limit_, *rate_, *length_;
  QRadioButton *hold_, *cut_off_;
  QPushButton *output_on_, *output_off_;
  QHBoxLayout* each_output_;
  QList<QPushButton*> output_buttons_, line_buttons_;
  QWidget* lines_box_;
  QHBoxLayout* each_line_;
  QLineEdit* reset_how_;
  QPushButton* reset_;
  QLineEdit *build_, *name_, *accuracy_, *logic_, *conditions_, *arm_, *until_, *mark_note_;
  QuantityEdit* before_;
  QCheckBox *endless_, *power_off_, *record_voltage_, *simulated_more_;
  std::vector<std::pair<QString, QComboBox*>> questions_;
  QPushButton *record_on_, *record_, *stop_, *mark_, *begin_now_;
  int marks_ = 0;
  QLabel *where_, *room_;
  QPlainTextEdit* console_;
  QLineEdit* line_;
  bool shown_settings_ = false;
  QString setup_range_;  // that a set-up wants, until the ranges are known
  // One simulated bench a day: builds are compared on the same instrument.
  quint64 seed_ = QRandomGenerator::global()->bounded(1U, 1000000U);
};

}  // namespace kuvio::app
