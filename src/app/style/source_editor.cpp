// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/source_editor.h"

#include "app/style/widgets.h"

#include <QVBoxLayout>

namespace kuvio::app {

SourceEditor::SourceEditor(const QString& name, const QString& accessible_name, QWidget* parent)
    : QWidget(parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  text_ = new QPlainTextEdit(this);
  text_->setObjectName(name + QStringLiteral("Source"));
  text_->setAccessibleName(accessible_name);
  text_->setTabChangesFocus(true);
  text_->setLineWrapMode(QPlainTextEdit::NoWrap);
  text_->setFont(mono_font(12));
  trouble_ = remark({}, this);
  trouble_->setObjectName(name + QStringLiteral("Error"));
  auto* apply = button(tr("Apply text"), name + QStringLiteral("ApplyText"), this, true);
  column->addWidget(text_, 1);
  column->addWidget(trouble_);
  column->addWidget(apply);
  connect(apply, &QPushButton::clicked, this, [this] { emit applied(text()); });
}

void SourceEditor::setText(const QString& text) {
  if (text_->toPlainText() != text) text_->setPlainText(text);
}

void SourceEditor::setTrouble(const QString& trouble) { trouble_->setText(trouble); }

}  // namespace kuvio::app
