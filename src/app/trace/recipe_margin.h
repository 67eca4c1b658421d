// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/documents.h"
#include "app/engine/message.h"
#include "app/engine/view_state.h"
#include "app/engine/views_fwd.h"
#include "app/style/source_editor.h"
#include "app/style/widgets.h"
#include "app/trace/level_view.h"
#include "app/trace/threshold.h"
#include "formats/project_edits.h"
#include "formats/project_files.h"

#include <QCheckBox>
#include <QComboBox>
#include <QScrollArea>
#include <QStackedWidget>

namespace kuvio::app {

class Lanes;
class RuleCard;

/// The recipe in use: a card per rule with its live visit count, the levels with draggable
/// thresholds, the file's text beside it. Every edit is kept in the book and undoable; splitting by
/// it is a step of its own.
class RecipeMargin : public QWidget {
  Q_OBJECT
public:
  RecipeMargin(ViewState& view, Session& session, Documents& documents, const Lanes& lanes,
               QWidget* parent = nullptr);
  void openRecipe();
  void newRecipe();
  /// Splits by the recipe: the capture shown, or all of the book's.
  void apply(bool all);
  void saveAs();
  /// Finds the states of the capture shown anew, one more (+1) or one fewer (-1) than the recipe in
  /// use has.
  void findOther(int by);
  /// Puts a recipe's text into the book as the one in use; `why` names the change for undo.
  void commit(const std::string& text, const QString& why);
  const LevelView* levels() const { return levels_; }
  /// A threshold is being dragged to a level (A), on the trace or beside it; `done`: it was let go.
  /// The edge that another rule has there goes with it.
  void dragEdge(int rule, bool upper, double level, bool done);

signals:
  void messageReported(const kuvio::app::Message& message);
  /// What the traces show of the recipe; none while it is not seen.
  void thresholdsChanged(const std::vector<kuvio::app::Threshold>& thresholds);

protected:
  void showEvent(QShowEvent* event) override;
  void hideEvent(QHideEvent* event) override;

private:
  void takeBook();
  void takeText(const std::string& text);
  void takePreview(const RecipePreviewPtr& preview);
  void buildCards();
  std::string movedEdge(int rule, bool upper, double level) const;
  void setEdge(int rule, formats::BandEdge edge, std::optional<double> level, const QString& why);
  void moveRule(int from, int to);
  void dragRule(int rule, int y, bool done);
  void showThresholds(const std::vector<StateRule>& rules, int held, bool upper);
  bool showsCurrent() const;
  void takeHistogram(const LevelHistogramPtr& histogram);
  void askPreview();
  void sayStatus();
  void addRule();

  ViewState& view_;
  Session& session_;
  Documents& documents_;
  book::Document document_;
  std::optional<formats::RecipeFile> recipe_;
  std::string histogram_key_;
  LevelHistogramPtr histogram_;
  RecipePreviewPtr preview_;
  FitViewPtr fit_;
  QStackedWidget* stack_;
  EmptyState* empty_;
  QLabel *name_, *status_;
  LevelView* levels_;
  QScrollArea* area_;
  QWidget* cards_;
  QWidget* guide_ = nullptr;  // where a dragged rule would go
  QStackedWidget* forms_;
  SourceEditor* source_;
  QPushButton *form_or_text_, *apply_, *apply_all_;
  QWidget* other_;  // of a recipe that was found: more or fewer states
  std::vector<RuleCard*> rules_;
};

}  // namespace kuvio::app
