// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/capture_dialog.h"

#include "app/engine/text.h"
#include "app/style/field_note.h"
#include "app/style/widgets.h"
#include "book/notes.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QPushButton>
#include <QVBoxLayout>

namespace kuvio::app {
namespace {

constexpr const char* kOwn[] = {"board", "tester", "temperature", "note"};

bool has_field(const std::string& key) {
  for (const char* own : kOwn) {
    if (key == own) return true;
  }
  return false;
}

}  // namespace

std::vector<book::Note> description_changes(const book::CaptureInfo& capture,
                                            const std::string& name, const std::string& build,
                                            const Conditions& conditions) {
  std::vector<book::Note> out;
  if (!name.empty() && name != capture.name) out.push_back({capture.id, "name", name});
  if (!build.empty() && build != capture.build) out.push_back({capture.id, "build", build});
  for (const auto& [key, value] : capture.conditions) {
    if (conditions.count(key) == 0) out.push_back(book::condition_note(capture.id, key, {}));
  }
  for (const auto& [key, value] : conditions) {
    const auto was = capture.conditions.find(key);
    if (was == capture.conditions.end() || was->second != value)
      out.push_back(book::condition_note(capture.id, key, value));
  }
  return out;
}

WrittenConditions written_conditions(const QString& lines) {
  WrittenConditions out;
  for (const QString& line : lines.split(QLatin1Char('\n'))) {
    if (line.trimmed().isEmpty()) continue;
    const auto equals = line.indexOf(QLatin1Char('='));
    const std::string key = line.left(equals).trimmed().toStdString(),
                      value = line.mid(equals + 1).trimmed().toStdString();
    if (equals <= 0 || key.empty() || value.empty()) {
      out.trouble =
          CaptureDialog::tr("\"%1\" is not a condition. Write it as battery = AA lithium.")
              .arg(line.trimmed());
      return out;
    }
    out.conditions[key] = value;
  }
  return out;
}

CaptureDialog::CaptureDialog(book::CaptureInfo capture, QWidget* parent)
    : QDialog(parent), capture_(std::move(capture)) {
  setObjectName(QStringLiteral("captureDialog"));
  setAttribute(Qt::WA_DeleteOnClose);
  setWindowTitle(tr("Describe capture"));
  resize(440, 430);
  auto* column = new QVBoxLayout(this);
  auto* form = new QFormLayout;
  const auto add = [&](const QString& words, const char* name, const std::string& value) {
    auto* line = new QLineEdit(qs(value), this);
    line->setObjectName(QLatin1String(name));
    line->setAccessibleName(words);
    line->setCursorPosition(0);
    form->addRow(words, line);
    return line;
  };
  const auto condition = [&](const char* key) {
    const auto it = capture_.conditions.find(key);
    return it == capture_.conditions.end() ? std::string() : it->second;
  };
  name_ = add(tr("Name"), "captureName", capture_.name);
  build_ = add(tr("Build"), "captureBuild", capture_.build);
  board_ = add(tr("Board"), "captureBoard", condition("board"));
  tester_ = add(tr("Tester"), "captureTester", condition("tester"));
  temperature_ = add(tr("Temperature"), "captureTemperature", condition("temperature"));
  note_ = add(tr("Note"), "captureNoteText", condition("note"));
  QStringList others;
  for (const auto& [key, value] : capture_.conditions) {
    if (!has_field(key)) others << qs(key) + QStringLiteral(" = ") + qs(value);
  }
  others_ = new QPlainTextEdit(others.join(QLatin1Char('\n')), this);
  others_->setObjectName(QStringLiteral("captureConditions"));
  others_->setAccessibleName(tr("Other conditions, one a line"));
  others_->setTabChangesFocus(true);
  form->addRow(tr("Others"), others_);
  column->addLayout(form, 1);
  column->addWidget(remark(tr("What was recorded stays in the book; Undo brings it back."), this));
  auto* buttons = new QDialogButtonBox(this);
  auto* keep = buttons->addButton(tr("Keep"), QDialogButtonBox::AcceptRole);
  keep->setObjectName(QStringLiteral("keepDescription"));
  buttons->addButton(tr("Cancel"), QDialogButtonBox::RejectRole);
  column->addWidget(buttons);
  connect(buttons, &QDialogButtonBox::accepted, this, &CaptureDialog::take);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
}

void CaptureDialog::take() {
  WrittenConditions written = written_conditions(others_->toPlainText());
  if (!written.trouble.isEmpty()) {
    others_->setFocus();
    FieldNote::say(others_, written.trouble);
    return;
  }
  const std::pair<const char*, QLineEdit*> own[] = {
      {"board", board_}, {"tester", tester_}, {"temperature", temperature_}, {"note", note_}};
  for (const auto& [key, field] : own) {
    const std::string text = field->text().trimmed().toStdString();
    if (!text.empty()) written.conditions[key] = text;
  }
  const auto notes =
      description_changes(capture_, name_->text().trimmed().toStdString(),
                          build_->text().trimmed().toStdString(), written.conditions);
  if (!notes.empty()) emit described(notes);
  accept();
}

}  // namespace kuvio::app
