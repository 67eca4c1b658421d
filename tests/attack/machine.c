// SPDX-License-Identifier: GPL-3.0-or-later
// A machine that loses power, and whose clock jumps; loaded into a program by LD_PRELOAD.
//
// KUVIO_MACHINE_FOLDER, KUVIO_MACHINE_LOG: whatever the program does to files below the folder is
// written to the log, with its bytes and times, so that power.py can tell what a cut at any moment
// would have left. KUVIO_MACHINE_JUMP="AT:BY": after AT s the clock of the day goes BY s off.
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdarg.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <sys/time.h>
#include <time.h>
#include <unistd.h>

#define REAL(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))

static const char* folder;
static int log_file = -1;
static double jump_at = -1, jump_by = 0;
static struct timespec begun;

static void real_time(clockid_t clock, struct timespec* out) {
  syscall(SYS_clock_gettime, clock, out);
}

__attribute__((constructor)) static void begin(void) {
  folder = getenv("KUVIO_MACHINE_FOLDER");
  const char* log = getenv("KUVIO_MACHINE_LOG");
  if (folder && log) log_file = (int)syscall(SYS_openat, AT_FDCWD, log, O_WRONLY | O_APPEND | O_CLOEXEC);
  const char* jump = getenv("KUVIO_MACHINE_JUMP");
  if (jump) sscanf(jump, "%lf:%lf", &jump_at, &jump_by);
  real_time(CLOCK_MONOTONIC, &begun);
}

// --- what is done to files -----------------------------------------------------------------------

struct head {
  uint32_t length;  // of what follows the head
  char what;
  char pad[3];
  uint64_t inode;
  int64_t offset;
  int64_t at_us;
  uint32_t first, second;  // lengths of two texts, or of the data
};

static void tell(char what, uint64_t inode, int64_t offset, const void* a, size_t na, const void* b,
                 size_t nb) {
  if (log_file < 0) return;
  const int saved = errno;
  struct timespec now;
  real_time(CLOCK_REALTIME, &now);
  struct head h = {(uint32_t)(na + nb), what,  {0}, inode, offset, now.tv_sec * 1000000LL + now.tv_nsec / 1000,
                   (uint32_t)na,        (uint32_t)nb};
  char* all = malloc(sizeof h + na + nb);
  memcpy(all, &h, sizeof h);
  if (na) memcpy(all + sizeof h, a, na);
  if (nb) memcpy(all + sizeof h + na, b, nb);
  if (syscall(SYS_write, log_file, all, sizeof h + na + nb) < 0) abort();
  free(all);
  errno = saved;
}

/// Whether a path lies below the folder, and is no shared memory; `out` is its whole name.
static int watched(const char* path, char* out) {
  if (log_file < 0 || !path) return 0;
  char part[PATH_MAX];
  snprintf(part, sizeof part, "%s", path);
  char* slash = strrchr(part, '/');
  const char* name = slash ? slash + 1 : part;
  char above[PATH_MAX];
  if (slash && slash != part) *slash = 0;
  if (!realpath(slash ? part : ".", above)) return 0;
  snprintf(out, PATH_MAX, "%.2000s/%.1000s", above, name);
  const size_t n = strlen(out);
  return strncmp(out, folder, strlen(folder)) == 0 && (n < 4 || strcmp(out + n - 4, "-shm") != 0);
}

/// The inode of an open file below the folder; 0: another.
static uint64_t inode_of(int fd, int* is_folder) {
  if (log_file < 0) return 0;
  char link[64], path[PATH_MAX];
  snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
  const ssize_t n = readlink(link, path, sizeof path - 1);
  if (n <= 0) return 0;
  path[n] = 0;
  if (strncmp(path, folder, strlen(folder)) != 0 || strstr(path, "-shm")) return 0;
  struct stat about;
  if (fstat(fd, &about) != 0) return 0;
  if (is_folder) *is_folder = S_ISDIR(about.st_mode);
  return about.st_ino;
}

static int opened(int fd, const char* path, int flags, int was_there) {
  char name[PATH_MAX];
  const int saved = errno;
  struct stat about;
  if (fd >= 0 && (flags & (O_CREAT | O_TRUNC)) && watched(path, name) && fstat(fd, &about) == 0) {
    if (!was_there) tell('C', about.st_ino, 0, name, strlen(name), 0, 0);
    if (was_there && (flags & O_TRUNC)) tell('T', about.st_ino, 0, 0, 0, 0, 0);
  }
  errno = saved;
  return fd;
}

#define OPEN(name)                                                            \
  int name(const char* path, int flags, ...) {                                \
    va_list more;                                                             \
    va_start(more, flags);                                                    \
    const mode_t mode = (flags & O_CREAT) ? va_arg(more, mode_t) : 0;         \
    va_end(more);                                                             \
    struct stat about;                                                        \
    const int there = (flags & O_CREAT) ? lstat(path, &about) == 0 : 1;       \
    return opened(REAL(name)(path, flags, mode), path, flags, there);         \
  }
OPEN(open)
OPEN(open64)

static void wrote(int fd, const void* data, ssize_t n, int64_t offset) {
  uint64_t inode;
  if (n > 0 && (inode = inode_of(fd, 0))) tell('W', inode, offset, data, (size_t)n, 0, 0);
}

ssize_t write(int fd, const void* data, size_t n) {
  const int64_t at = log_file >= 0 ? lseek(fd, 0, SEEK_CUR) : 0;
  const ssize_t done = (ssize_t)syscall(SYS_write, fd, data, n);
  if (at >= 0) wrote(fd, data, done, at);
  return done;
}
ssize_t pwrite(int fd, const void* data, size_t n, off_t at) {
  const ssize_t done = (ssize_t)syscall(SYS_pwrite64, fd, data, n, at);
  wrote(fd, data, done, at);
  return done;
}
ssize_t pwrite64(int fd, const void* data, size_t n, off64_t at) { return pwrite(fd, data, n, at); }

int ftruncate(int fd, off_t size) {
  const int out = (int)syscall(SYS_ftruncate, fd, size);
  uint64_t inode;
  if (out == 0 && (inode = inode_of(fd, 0))) tell('T', inode, size, 0, 0, 0, 0);
  return out;
}
int ftruncate64(int fd, off64_t size) { return ftruncate(fd, size); }

static int synced(int fd, int out) {
  int is_folder = 0;
  uint64_t inode;
  if (out == 0 && (inode = inode_of(fd, &is_folder))) tell(is_folder ? 'D' : 'S', inode, 0, 0, 0, 0, 0);
  return out;
}
int fsync(int fd) { return synced(fd, (int)syscall(SYS_fsync, fd)); }
int fdatasync(int fd) { return synced(fd, (int)syscall(SYS_fdatasync, fd)); }

static int renamed(int out, char what, const char* from, const char* to) {
  char a[PATH_MAX], b[PATH_MAX];
  if (out == 0 && watched(from, a) && watched(to, b)) tell(what, 0, 0, a, strlen(a), b, strlen(b));
  return out;
}
int rename(const char* from, const char* to) {
  return renamed((int)syscall(SYS_rename, from, to), 'R', from, to);
}
int renameat2(int a, const char* from, int b, const char* to, unsigned flags) {
  return renamed((int)syscall(SYS_renameat2, a, from, b, to, flags), 'R', from, to);
}
int link(const char* from, const char* to) {
  return renamed((int)syscall(SYS_link, from, to), 'L', from, to);
}
int unlink(const char* path) {
  char name[PATH_MAX];
  const int seen = watched(path, name);
  const int out = (int)syscall(SYS_unlink, path);
  if (out == 0 && seen) tell('U', 0, 0, name, strlen(name), 0, 0);
  return out;
}

// --- the clock of the day ------------------------------------------------------------------------

int clock_gettime(clockid_t clock, struct timespec* out) {
  const int code = (int)syscall(SYS_clock_gettime, clock, out);
  if (code != 0 || jump_at < 0 || (clock != CLOCK_REALTIME && clock != CLOCK_REALTIME_COARSE)) return code;
  struct timespec now;
  real_time(CLOCK_MONOTONIC, &now);
  const double since = (double)(now.tv_sec - begun.tv_sec) + (double)(now.tv_nsec - begun.tv_nsec) * 1e-9;
  if (since > jump_at) {
    const int64_t ns = (int64_t)out->tv_sec * 1000000000LL + out->tv_nsec + (int64_t)(jump_by * 1e9);
    out->tv_sec = (time_t)(ns / 1000000000LL);
    out->tv_nsec = (long)(ns % 1000000000LL);
  }
  return code;
}
int gettimeofday(struct timeval* restrict out, void* restrict zone) {
  (void)zone;
  struct timespec now;
  const int code = clock_gettime(CLOCK_REALTIME, &now);
  out->tv_sec = now.tv_sec;
  out->tv_usec = now.tv_nsec / 1000;
  return code;
}
time_t time(time_t* out) {
  struct timespec now;
  clock_gettime(CLOCK_REALTIME, &now);
  if (out) *out = now.tv_sec;
  return now.tv_sec;
}
