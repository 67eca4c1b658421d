// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/import_preview.h"
#include "app/engine/message.h"
#include "app/engine/session.h"
#include "app/style/widgets.h"

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QWidget>

#include <map>

namespace kuvio::app {

class ImportSketch;

/// What some text logs are taken to mean, before they are captures: the head of each beside its
/// columns, which can be corrected, and the trace as it will be. A page over the desks, until
/// *Import* or *Cancel*.
class ImportPage : public QWidget {
  Q_OBJECT
public:
  explicit ImportPage(Session& session, QWidget* parent = nullptr);
  /// How logs were read before: kind and layout in turn (Preferences::layouts).
  void remember(const QStringList& layouts) { layouts_ = layouts; }

  /// Begins with these files; each keeps what is said of it.
  void begin(const QStringList& files);
  /// Whether its file can be imported as it stands.
  bool ready() const { return !asking_ && preview_ && preview_->trouble.isEmpty(); }
  const QString& file() const { return file_; }

signals:
  /// *Import* was pressed: what of.
  void importRequested(const std::vector<kuvio::app::Session::ImportJob>& jobs);
  /// How logs of the kinds that are imported are read from now on.
  void layoutsChanged(const QStringList& layouts);
  void cancelled();

protected:
  bool event(QEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

private:
  /// What was said of logs of one kind: a correction of one holds for all of them.
  struct Said {
    QString decimal, accuracy;
    std::map<int, QString> columns;  ///< by place, from 0: "current[mA]"
    bool averaged = false;
    std::optional<double> rate_hz, shunt_ohm;
    bool remembered = false;  ///< from an earlier log
  };
  void makeHead();
  void makeFields();
  void takeKinds(const std::map<QString, QString>& kinds);
  Said& saidOf(const QString& file);
  const Said* known(const QString& file) const;
  void recall(const QString& kind);
  void keepLayouts();
  void choose(const QString& file);
  void ask();
  void take(const ImportPreview& preview);
  void showColumns();
  void addColumn(int row, const formats::Column& column);
  void takeAccuracy();
  void sayColumn(int place, const QString& role, const QString& unit);
  formats::ImportSettings settingsOf(const QString& file) const;
  void press();

  Session& session_;
  QStringList files_;
  QString file_;
  std::map<QString, QString> kinds_, builds_;  // by file
  std::map<QString, Said> said_;               // by kind, or by file where it has none
  QStringList layouts_;
  std::optional<ImportPreview> preview_;
  int asked_ = 0;  // previews: only the newest counts
  bool filling_ = false, asking_ = false;
  QComboBox *which_, *kind_, *decimal_;
  QPlainTextEdit* head_;
  QGridLayout* columns_;
  QLineEdit *build_, *accuracy_;
  QuantityEdit *rate_, *shunt_;
  QLabel *decimal_name_, *rate_name_, *found_, *trouble_, *figures_;
  ImportSketch* sketch_;
  QPushButton *import_, *cancel_;
};

}  // namespace kuvio::app
