// SPDX-License-Identifier: GPL-3.0-or-later
// What the import page remembers of kinds of logs.

#include "app/engine/text.h"
#include "app/shell/import_page.h"
#include "formats/import_layout.h"

#include <exception>

namespace kuvio::app {

/// Logs of a kind that was read before are read so again.
void ImportPage::takeKinds(const std::map<QString, QString>& kinds) {
  kinds_ = kinds;
  for (const auto& [file, kind] : kinds_) recall(kind);
  choose(files_.value(0));
}

void ImportPage::recall(const QString& kind) {
  if (kind.isEmpty() || said_.count(kind) > 0) return;
  for (qsizetype i = 0; i + 1 < layouts_.size(); i += 2) {
    if (layouts_[i] != kind) continue;
    formats::ImportSettings settings;
    try {
      formats::read_layout_text(layouts_[i + 1].toStdString(), "layout", settings);
    } catch (const std::exception&) {  // of another Kuvio: as if it were not there
      return;
    }
    Said said;
    said.remembered = true;
    said.averaged = settings.kind == SampleKind::averaged;
    said.rate_hz = settings.rate_hz;
    said.shunt_ohm = settings.shunt_ohm;
    if (settings.decimal) said.decimal = QLatin1Char(*settings.decimal);
    for (const std::string& option : settings.columns) {
      const QString text = qs(option);
      const auto equals = text.indexOf(QLatin1Char('='));
      bool number = false;
      const int place = text.left(equals).toInt(&number);
      if (number && place > 0) said.columns[place - 1] = text.mid(equals + 1);
    }
    said_[kind] = said;
    return;
  }
}

/// What was said of a file's kind.
ImportPage::Said& ImportPage::saidOf(const QString& file) {
  const auto kind = kinds_.find(file);
  return said_[kind == kinds_.end() || kind->second.isEmpty() ? file : kind->second];
}
const ImportPage::Said* ImportPage::known(const QString& file) const {
  const auto kind = kinds_.find(file);
  const auto found =
      said_.find(kind == kinds_.end() || kind->second.isEmpty() ? file : kind->second);
  return found == said_.end() ? nullptr : &found->second;
}

/// The next log of each kind needs one key.
void ImportPage::keepLayouts() {
  constexpr qsizetype kMost = 80;  // a kind and its layout each
  QStringList out = layouts_;
  for (const auto& [file, kind] : kinds_) {
    if (kind.isEmpty()) continue;
    formats::ImportSettings settings = settingsOf(file);
    const std::string text = formats::layout_text(settings);
    if (const auto at = out.indexOf(kind); at >= 0 && at % 2 == 0) {
      out.removeAt(at);
      out.removeAt(at);
    }
    if (!text.empty()) out = QStringList{kind, qs(text)} + out;
  }
  while (out.size() > kMost) out.removeLast();
  if (out == layouts_) return;
  layouts_ = out;
  emit layoutsChanged(layouts_);
}

}  // namespace kuvio::app
