// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/bench/plug_drawer.h"
#include "app/bench/wire_view.h"
#include "app/desk/desk.h"
#include "app/engine/bench_control.h"
#include "app/engine/preferences.h"

#include <QRandomGenerator>

class QHBoxLayout;
class QMenu;
class QStackedWidget;
class QTabBar;
class QVBoxLayout;

namespace kuvio::app {

class BenchConsole;
class CutLabel;
class DeviceDrawer;
class ListenerDrawer;
class PaperView;
class PathDrawer;
class ProgressSheet;
class SourceDrawer;
class Stamps;

/// The Bench desk: the wire with its stations and their drawers, the live paper, the run sheet with
/// its stamps, and the device's console.
class BenchDesk : public Desk {
  Q_OBJECT
public:
  BenchDesk(const Context& context, Preferences& preferences, QWidget* parent = nullptr);
  void enter() override;
  std::vector<FootPart> foot() const override;
  void applyTheme() override;
  /// What the blanks and fields say is to be recorded; nothing when one of them is wrong, which is
  /// said at it.
  std::optional<RecordRequest> request();
  /// Opens a station's drawer (wire_plan.h has the ids); "" closes it.
  void openDrawer(const QString& id);
  const QString& openedDrawer() const { return open_; }

signals:
  void preferencesChanged();

protected:
  void keyPressEvent(QKeyEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

private:
  void makePage();
  QWidget* makeTop();
  QWidget* makeDrawer();
  QWidget* makeFoot();
  void makeActions();
  void connectBench();
  void connectDrawers();
  void refresh();
  void refreshFoot();
  WirePlan plan() const;
  void readBudget();
  QString roomText() const;
  void noteConnected();
  void noteLine(const QString& text, bool sent);

  // drawers
  DrawerPage* pageOf(const QString& id);
  SourceDrawer* sourceOf(const QString& output);
  ListenerDrawer* listenerOf(const QString& id);
  void showTalk(const QString& address);
  void wireUp(WiredAs as, const QString& address);
  void changeAddress(const QString& from, const QString& to);
  void connectAll();
  void keepWiring();
  void keepCeiling(const QString& output, const acquire::Ceiling& ceiling);
  void recallCeilings();
  void keepVoltage(double volts);
  std::vector<double> usedVoltages() const;
  void startSimulated(const QString& build, int speed, bool more);
  QMenu* makeSetupMenu();
  void openSetup();
  void saveSetup();
  void takeSetup(const acquire::BenchSetup& setup);
  void rememberSetup(const QString& file);
  void tryProfile();
  void showTried(const std::vector<acquire::CheckStep>& steps, const QString& trouble);

  // work
  void record();
  void sayWhyNot();
  std::string nameOfRun(const std::string& build) const;
  void switchOutput(const QString& output, bool on);
  void sendLine(const QString& text, bool* taken);
  void markNow();
  void nextPart();
  void arrange();
  void say(const FieldTrouble& trouble, const QString& drawer);

  Context context_;
  Preferences& preferences_;
  Wiring wanted_;  ///< as drawn; connected or as it was last
  QString open_, silent_since_;
  int sheet_height_ = 0;  // as last arranged for
  int marks_ = 0;
  std::string budget_text_;     // that the allowed peak was read from
  std::optional<double> peak_;  // A
  WireView* wire_;
  QPushButton *setup_, *connect_all_;
  QWidget* drawer_;
  CutLabel* drawer_title_;
  QStackedWidget *stack_, *sheet_or_progress_;
  QTabBar* tabs_;
  QHBoxLayout* middle_;
  PaperView* paper_;
  RunSheet* sheet_;
  ProgressSheet* progress_;
  Stamps* stamps_;
  QLabel* where_;
  BenchConsole* console_;
  SourceDrawer* source_;
  PathDrawer* path_;
  DeviceDrawer* device_;
  ListenerDrawer* logic_;
  PlugDrawer* plug_;
  std::map<QString, DrawerPage*> pages_;  // made as they are opened: other outputs, listeners
  // One simulated bench a day: builds are compared on the same instrument.
  quint64 seed_ = QRandomGenerator::global()->bounded(1U, 1000000U);
};

}  // namespace kuvio::app
