// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/typed_edits.h"

#include <QDialog>
#include <QGridLayout>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QStringList>

#include <vector>

namespace kuvio::app {

/// A small table of readings taken by eye: a visit a row. Values are written as "47 mA", with their
/// ± or as a range; a row more stands below those that are filled.
class TypedDialog : public QDialog {
  Q_OBJECT
public:
  /// `name`: of a capture whose readings are changed; empty: they will be a capture of their own.
  /// `states` are offered as names.
  TypedDialog(TypedReadings from, const QString& name, const QStringList& states, QWidget* parent);

signals:
  void typed(const kuvio::app::TypedReadings& readings);

private:
  struct Row {
    QLineEdit* state = nullptr;
    std::vector<QLineEdit*> values;  ///< as typed_quantities() has them
  };
  void addRow(const TypedReading* reading);
  void addRowBelow();
  bool isEmpty(const Row& row) const;
  /// What a row says; false where it says nothing that can be taken, which is told beside it.
  bool read(const Row& row, TypedReading& out) const;
  bool readCell(QLineEdit* cell, std::size_t quantity, TypedReading& out) const;
  void take();

  TypedReadings from_;
  QStringList states_;
  QGridLayout* table_;
  std::vector<Row> rows_;
  QLineEdit* build_ = nullptr;
  QPlainTextEdit* conditions_ = nullptr;
};

}  // namespace kuvio::app
