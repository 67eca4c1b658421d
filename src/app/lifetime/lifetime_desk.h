// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/desk.h"
#include "app/engine/views_fwd.h"
#include "app/lifetime/life_pictures.h"
#include "app/style/widgets.h"

#include <QComboBox>
#include <QGridLayout>
#include <QStackedWidget>
#include <QToolButton>

#include <functional>
#include <map>

class QVBoxLayout;

namespace kuvio::app {

std::optional<double> interval_for(const study::CaptureLife& view, double wanted_s);

/// The Lifetime desk: life as captured beside a scenario, the curve over a round's interval, and
/// where the capacity goes. The scenario is the book's duty plan and battery: every change of it is
/// kept and undoable.
class LifetimeDesk : public Desk {
  Q_OBJECT
public:
  explicit LifetimeDesk(const Context& context, QWidget* parent = nullptr);
  void enter() override;
  void applyTheme() override;
  std::vector<FootPart> foot() const override;

private:
  struct Row {
    QLabel *label, *captured;
    QuantityEdit* edit;
    QPushButton* reset;
    QToolButton* remove = nullptr;  ///< of an activity
  };
  QWidget* makeFigures(QWidget* parent);
  void makeLives(QWidget* box, QVBoxLayout* column);
  void makeButtons(QWidget* box, QVBoxLayout* column);
  void makeRounds(QWidget* box, QVBoxLayout* column);
  void editPlan(const std::function<std::string(const book::Document&)>& change,
                const QString& why);
  void addActivity();
  QStringList statesForRounds() const;
  void connectRows();
  void makeActions();
  Row addRow(const QString& name, const QString& text, Dimension dimension, bool optional = false);
  void takeBook();
  void take(const LifeViewPtr& view);
  void showLives();
  void showBattery();
  void showActivities();
  void showNeeded();
  void showPlanName();
  void ask();
  void buildActivities();
  void setRow(Row& row, std::optional<double> captured, std::optional<double> scenario,
              const QString& captured_text);
  book::Document document(DocumentKind kind) const;
  void putBattery(const char* key, const std::string& value, const QString& why);
  void putInterval(std::size_t activity, double interval_s);
  void resetScenario();
  void makeThePlan();
  void openFile(DocumentKind kind);
  void saveAs(DocumentKind kind);

  Context context_;
  QStackedWidget* stack_;
  EmptyState* empty_;
  QComboBox* capture_;
  struct Life {
    QLabel *figure = nullptr, *interval = nullptr;
  };
  Life captured_, scenario_;
  QLabel *difference_, *needed_, *rests_on_, *plan_name_;
  QPushButton* make_plan_;
  QGridLayout* grid_;
  Row capacity_, reserve_, margin_, discharge_, harvest_, wanted_;
  std::vector<Row> activities_;
  LifePictures* pictures_;
  QComboBox* rest_;
  LifeViewPtr view_;
  bool taking_ = false;
};

}  // namespace kuvio::app
