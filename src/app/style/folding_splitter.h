// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QSplitter>

namespace kuvio::app {

/// Two parts beside each other, the second of which folds away: by a click on the handle between
/// them, which can be seen and stays, and by itself where there is no room for both. What folded by
/// itself comes back with the room.
class FoldingSplitter : public QSplitter {
  Q_OBJECT
public:
  /// `side`: how wide the second part is when it opens; `least`: what both together need (pixels).
  FoldingSplitter(int side, int least, QWidget* parent);

  bool isSideOpen() const;
  /// As a person asks for it: where there is little room it stays so.
  void setSideOpen(bool open);
  /// Where its parts stand, as QSplitter has it; what folded by itself is kept as open.
  QByteArray saveParts() const;
  /// What the handle is for, with its keys.
  void setHint(const QString& hint);

protected:
  QSplitterHandle* createHandle() override;
  void resizeEvent(QResizeEvent* event) override;

private:
  void fold(bool open);
  int side_, least_;
  bool narrow_ = false, by_itself_ = false;
};

}  // namespace kuvio::app
