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

/// Conditions that all captures have alike.
Conditions common_conditions(const std::vector<book::CaptureInfo>& captures) {
  Conditions out = captures.front().conditions;
  for (const book::CaptureInfo& c : captures) {
    std::erase_if(out, [&](const auto& one) {
      const auto it = c.conditions.find(one.first);
      return it == c.conditions.end() || it->second != one.second;
    });
  }
  return out;
}

/// The values a condition has, each once; "none" where one lacks it. Empty where nobody has it.
QStringList values_of(const std::vector<book::CaptureInfo>& captures, const char* key) {
  QStringList out;
  bool any = false;
  for (const book::CaptureInfo& c : captures) {
    const auto it = c.conditions.find(key);
    any |= it != c.conditions.end();
    const QString value = it == c.conditions.end() ? CaptureDialog::tr("none") : qs(it->second);
    if (!out.contains(value)) out << value;
  }
  return any ? out : QStringList();
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

CaptureDialog::CaptureDialog(std::vector<book::CaptureInfo> captures, QWidget* parent)
    : QDialog(parent), captures_(std::move(captures)), common_(common_conditions(captures_)) {
  const bool several = captures_.size() > 1;
  setObjectName(QStringLiteral("captureDialog"));
  setAttribute(Qt::WA_DeleteOnClose);
  setWindowTitle(several ? tr("Describe %1 captures").arg(captures_.size())
                         : tr("Describe capture"));
  resize(440, 430);
  auto* column = new QVBoxLayout(this);
  auto* form = new QFormLayout;
  const auto add = [&](const QString& words, const char* name, const std::string& value,
                       const QStringList& unlike) {
    auto* line = new QLineEdit(qs(value), this);
    line->setObjectName(QLatin1String(name));
    line->setAccessibleName(words);
    line->setCursorPosition(0);
    if (!unlike.isEmpty())
      line->setPlaceholderText(tr("they differ: %1").arg(unlike.join(tr(", "))));
    form->addRow(words, line);
    return line;
  };
  const auto condition = [&](const QString& words, const char* name, const char* key) {
    const auto it = common_.find(key);
    return it != common_.end() ? add(words, name, it->second, {})
                               : add(words, name, {}, values_of(captures_, key));
  };
  const book::CaptureInfo& first = captures_.front();
  name_ = add(tr("Name"), "captureName", several ? "" : first.name, {});
  form->setRowVisible(name_, !several);
  QStringList builds;
  for (const book::CaptureInfo& c : captures_)
    if (!builds.contains(qs(c.build))) builds << qs(c.build);
  build_ = add(tr("Build"), "captureBuild", builds.size() == 1 ? first.build : "",
               builds.size() == 1 ? QStringList() : builds);
  board_ = condition(tr("Board"), "captureBoard", "board");
  tester_ = condition(tr("Tester"), "captureTester", "tester");
  temperature_ = condition(tr("Temperature"), "captureTemperature", "temperature");
  note_ = condition(tr("Note"), "captureNoteText", "note");
  QStringList others;
  for (const auto& [key, value] : common_) {
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
  std::vector<book::Note> notes;
  for (const book::CaptureInfo& capture : captures_) {
    // What they had in common is as it was written now; what else each has, it keeps.
    Conditions wanted = capture.conditions;
    for (const auto& [key, value] : common_) wanted.erase(key);
    for (const auto& [key, value] : written.conditions) wanted[key] = value;
    for (book::Note& note : description_changes(capture, name_->text().trimmed().toStdString(),
                                                build_->text().trimmed().toStdString(), wanted))
      notes.push_back(std::move(note));
  }
  if (!notes.empty()) emit described(notes);
  accept();
}

}  // namespace kuvio::app
