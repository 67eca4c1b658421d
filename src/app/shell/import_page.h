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

  /// Begins with these files; each keeps what is said of it.
  void begin(const QStringList& files);
  /// Whether its file can be imported as it stands.
  bool ready() const { return !asking_ && preview_ && preview_->trouble.isEmpty(); }
  const QString& file() const { return file_; }

signals:
  /// *Import* was pressed: what of.
  void importRequested(const std::vector<kuvio::app::Session::ImportJob>& jobs);
  void cancelled();

protected:
  bool event(QEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

private:
  /// What was said of a file.
  struct Said {
    QString build, decimal;
    std::map<int, QString> columns;  ///< by place, from 0: "current[mA]"
    bool averaged = false;
    std::optional<double> rate_hz, shunt_ohm;
  };
  void makeHead();
  void makeFields();
  void choose(const QString& file);
  void ask();
  void take(const ImportPreview& preview);
  void showColumns();
  void addColumn(int row, const formats::Column& column);
  void sayColumn(int place, const QString& role, const QString& unit);
  formats::ImportSettings settingsOf(const QString& file) const;
  void press();

  Session& session_;
  QStringList files_;
  QString file_;
  std::map<QString, Said> said_;
  std::optional<ImportPreview> preview_;
  int asked_ = 0;  // previews: only the newest counts
  bool filling_ = false, asking_ = false;
  QComboBox *which_, *kind_, *decimal_;
  QPlainTextEdit* head_;
  QGridLayout* columns_;
  QLineEdit* build_;
  QuantityEdit *rate_, *shunt_;
  QLabel *decimal_name_, *rate_name_, *found_, *trouble_, *figures_;
  ImportSketch* sketch_;
  QPushButton *import_, *cancel_;
};

}  // namespace kuvio::app
