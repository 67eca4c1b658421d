// SPDX-License-Identifier: GPL-3.0-or-later
// layers: core
// error: book/book.h: No such file
#include "book/book.h"
