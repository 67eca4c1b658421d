// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/bench/sentence.h"
#include "app/engine/bench_control.h"
#include "app/style/widgets.h"

#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QWidget>

#include <optional>

namespace kuvio::app {

/// What a field of the bench was asked for and could not give.
struct FieldTrouble {
  QWidget* field = nullptr;
  QString why;
};

/// The run sheet: what will be recorded, as a sentence with blanks, and the one button, which says
/// what it will do. "Record 2.4.0-rc1 for 10 min at 1 kHz, powering on as it starts, off again at
/// the end"; further phrases by *+*.
class RunSheet : public QWidget {
  Q_OBJECT
public:
  explicit RunSheet(const BenchControl& bench, QWidget* parent = nullptr);

  /// What the button does.
  enum class Does {
    nothing,   ///< greyed: it may not
    record,    ///< as things are
    power_on,  ///< records, and switches the output on
    cycle,     ///< off, two seconds, then as power_on
  };
  Does does() const;
  QString buttonText() const { return button_->text(); }

  /// Fills what the blanks say into a request; or what is wrong with one.
  std::optional<FieldTrouble> read(RecordRequest& request) const;
  /// Fills the blanks by what a recording was set up with.
  void take(const acquire::RecordSettings& settings, double rate_hz, bool power_off);
  void refresh();
  /// The build that a device says it runs, or that was just recorded: in pencil until taken.
  void proposeBuild(const QString& build);
  QString build() const { return build_->text().trimmed(); }
  void setBuild(const QString& build);
  /// The sentence, as it stands.
  QString sentence() const;
  /// Adds a phrase that is not there yet, and goes to its blank.
  void addPhrase(const QString& key);
  double rateHz() const;

signals:
  void pressed();
  void buildChanged();

protected:
  void keyPressEvent(QKeyEvent* event) override;

private:
  struct Phrase {
    QString key, menu;  ///< "start_on"; "start on …"
    QWidget* whole = nullptr;
    QWidget* blank = nullptr;
    std::function<void()> empty;
  };
  QLabel* words(const QString& text);
  void makeSentence();
  void makePhrases();
  QWidget* phrase(const QString& key, const QString& menu, const QString& before, QWidget* blank,
                  const QString& after = {});
  void removePhrase(const QString& key);
  QMenu* makeMenu();
  void showPower();
  void showRate();
  bool hasOutput() const;
  bool powersSeveral() const;

  const BenchControl& bench_;
  SentenceLayout* sentence_;
  Blank *build_, *name_, *arm_, *until_, *reset_, *note_;
  QLabel* own_rate_ = nullptr;
  double own_rate_hz_ = 0;  // of what sends by itself; 0: there is none, or not known yet
  QuantityEdit *length_, *rate_, *before_, *charge_, *apart_;
  QComboBox *power_, *which_, *off_;
  QLabel *powering_, *off_words_;
  std::vector<Phrase> phrases_;
  QPushButton *more_, *button_;
};

}  // namespace kuvio::app
