// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/channel_edits.h"
#include "app/engine/view_state.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPointer>
#include <QPushButton>

#include <set>
#include <string>
#include <vector>

namespace kuvio::app {

class ShuntDialog;

/// The margin's page of a capture's channels: what was put right of each since it was recorded
/// (zero, shunt, divider, gain), what that makes of it, and channels made of others. What is typed
/// stands in pencil until Enter or *Set*; every act is one step of undo.
class ChannelsMargin : public QWidget {
  Q_OBJECT
public:
  ChannelsMargin(ViewState& view, Session& session, QWidget* parent = nullptr);
  /// Opens what proposes a shunt; what is chosen there stands in the shown channel's field, in
  /// pencil.
  void chooseShunt();

signals:
  void messageReported(const QString& text);

protected:
  void showEvent(QShowEvent* event) override;

private:
  QWidget* makeFields();
  QWidget* makeNew();
  void ask();
  void take(const ChannelsViewPtr& channels);
  void showChannel();
  void showZero(const ChannelState& channel);
  QString figuresOf(const ChannelState& channel) const;
  const ChannelState* chosen() const;
  /// Reads the fields; false where one cannot be read, which is told at it.
  bool read(ChannelCalibration& out);
  void set();
  void setCalibration(const ChannelCalibration& calibration, const QString& what);
  void zeroFromSpan();
  void make();
  void pickForm();

  ViewState& view_;
  QPointer<ViewState> alive_;
  Session& session_;
  ChannelsViewPtr channels_;
  int asked_ = 0;
  std::int64_t shown_of_ = 0;
  QComboBox* which_;
  QLabel *about_, *zero_, *figures_, *warnings_;
  QPointer<ShuntDialog> shunts_;
  QPushButton *zero_here_, *no_zero_, *set_, *reset_, *remove_;
  QWidget *fields_, *new_;
  struct Field {
    const char* name;
    QLineEdit* line = nullptr;
  };
  std::vector<Field> lines_;
  std::set<QLineEdit*> pencil_;  // typed, and not yet set
  std::string pencil_of_;        // the channel that it is of
  QLineEdit* line(const char* name) const;
  QComboBox *form_, *first_, *second_;
  QLineEdit *window_, *new_name_;
};

}  // namespace kuvio::app
