// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

namespace kuvio::app {

// A book says where its budget was read from. A book may come from anybody: such a file is looked
// at only where it lies below the book's own folder, or where a person opened or saved it here
// before. Any thread.

/// A person opened or saved it.
void trust_file(const QString& path);
/// Whether a file that a book names may be read: a regular file, and one of the above.
bool may_read(const QString& path, const QString& book_path);

}  // namespace kuvio::app
