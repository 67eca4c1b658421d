// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/bench/run_sheet.h"
#include "app/bench/wire_plan.h"
#include "app/engine/message.h"

#include <QGridLayout>
#include <QWidget>

#include <array>

namespace kuvio::app {

/// What a station's drawer holds: the fields of it, in three columns of at most four rows.
class DrawerPage : public QWidget {
  Q_OBJECT
public:
  DrawerPage(const QString& name, const QString& title, BenchControl& bench, QWidget* parent);

  /// Takes in what is known of the bench now.
  virtual void refresh() {}
  /// Adds what its fields say to a request; or what is wrong with one.
  virtual std::optional<FieldTrouble> read(RecordRequest&) const { return std::nullopt; }
  /// The field that the keyboard goes to when the drawer opens.
  QWidget* first() const { return first_; }
  const QString& title() const { return title_; }

signals:
  void messageReported(const kuvio::app::Message& message);
  /// Something that the wire shows has changed.
  void changed();

protected:
  /// Puts a field with its name into one of the three columns, under what is there.
  void add(int column, const QString& name, QWidget* field);
  /// The same with several beside each other, or one without a name.
  void addRow(int column, const QString& name, const QList<QWidget*>& fields);
  void setRowShown(QWidget* field, bool shown);
  QLineEdit* line(const QString& name, const QString& accessible, const QString& example);
  BenchControl& bench_;

private:
  QString title_;
  struct Column {
    QGridLayout* grid = nullptr;
    int rows = 0;
  };
  std::array<Column, 3> columns_;
  std::map<QWidget*, QLabel*> names_;
  QWidget* first_ = nullptr;
};

}  // namespace kuvio::app
