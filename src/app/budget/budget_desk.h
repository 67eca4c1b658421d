// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/budget/limits_model.h"
#include "app/desk/desk.h"
#include "app/engine/views_fwd.h"
#include "app/style/source_editor.h"
#include "app/style/widgets.h"
#include "core/budget.h"

#include <QStackedWidget>

class QDialog;

namespace kuvio {
struct SpanFigures;
}

namespace kuvio::app {

/// The Budget desk: a row per limit with a gauge per build, a form, and the file's text beside it.
class BudgetDesk : public Desk {
  Q_OBJECT
public:
  explicit BudgetDesk(const Context& context, QWidget* parent = nullptr);
  void enter() override;
  std::vector<FootPart> foot() const override;
  void applyTheme() override;
  /// A form filled in from a span's figures.
  void limitFrom(const SpanFigures& span, const QString& state);
  NotebookTable* table() { return table_; }

private:
  QWidget* makePage();
  QLayout* makeHead(QWidget* page);
  QWidget* makeDiskBanner(QWidget* page);
  void makeActions();
  void take(const BudgetViewPtr& view);
  void commit(const std::string& text, const QString& why);
  void editLimit();
  void addLimit();
  void removeLimit();
  void putLimit(const Limit& limit, bool existing);
  QDialog* showForm(const Limit& limit, bool existing);
  void saveAs();
  void fromCapture();

  Context context_;
  QStackedWidget* stack_;
  EmptyState* empty_;
  QLabel *title_, *sentence_, *disk_, *left_out_;
  QWidget* disk_banner_;
  LimitsModel* model_;
  NotebookTable* table_;
  SourceEditor* source_;
  QPushButton* show_text_;
  BudgetViewPtr view_;
};

}  // namespace kuvio::app
