// SPDX-License-Identifier: GPL-3.0-or-later
// layers: book core
// error: deleted function
#include "book/book.h"

kuvio::book::Book twice(const kuvio::book::Book& book) { return book; }
