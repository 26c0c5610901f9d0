/*
 * Records what a program does to the files of one folder, in the order of its system calls, so that every state that a power cut can leave may be made of it.
 * LD_PRELOAD=recorder.so RECORD_FOLDER=/folder RECORD_LOG=/elsewhere/log program
 *
 * A record: u32 kind, u32 length of the first name, u32 length of the second, u64 inode, u64 offset, u64 length of the data; names; data.
 */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <stdarg.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/uio.h>
#include <unistd.h>

enum { CREATE = 1, WRITE, TRUNCATE, FLUSH, FLUSH_FOLDER, RENAME, LINK, UNLINK, MADE_FOLDER };

static pthread_mutex_t turn = PTHREAD_MUTEX_INITIALIZER;
static int log_fd = -1;
static const char *folder;
static size_t folder_length;

#define REAL(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))

__attribute__((constructor)) static void begin(void) {
  folder = getenv("RECORD_FOLDER");
  const char *path = getenv("RECORD_LOG");
  if (!folder || !path) return;
  folder_length = strlen(folder);
  log_fd = REAL(open)(path, O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0600);
}

static int inside(const char *path) {
  return log_fd >= 0 && path && strncmp(path, folder, folder_length) == 0 &&
         (path[folder_length] == '/' || path[folder_length] == 0);
}

static void put(const void *bytes, size_t length) {
  const char *at = bytes;
  while (length > 0) {
    ssize_t done = REAL(write)(log_fd, at, length);
    if (done <= 0) abort();
    at += done;
    length -= (size_t)done;
  }
}

static void note(uint32_t kind, uint64_t inode, uint64_t offset, const char *first, const char *second,
                 const void *data, uint64_t length) {
  int before = errno;
  uint32_t small[3] = {kind, first ? (uint32_t)strlen(first) : 0, second ? (uint32_t)strlen(second) : 0};
  uint64_t large[3] = {inode, offset, length};
  put(small, sizeof small);
  put(large, sizeof large);
  if (first) put(first, small[1]);
  if (second) put(second, small[2]);
  if (data) put(data, length);
  errno = before;
}

/* The inode of an open file of the folder; 0: it is none. */
static uint64_t recorded(int fd, int *is_folder) {
  char link[64], path[4096];
  if (log_fd < 0 || fd < 0 || fd == log_fd) return 0;
  snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
  ssize_t length = readlink(link, path, sizeof path - 1);
  if (length <= 0) return 0;
  path[length] = 0;
  struct stat is;
  if (!inside(path) || fstat(fd, &is) != 0) return 0;
  if (is_folder) *is_folder = S_ISDIR(is.st_mode);
  return S_ISREG(is.st_mode) || (is_folder && S_ISDIR(is.st_mode)) ? is.st_ino : 0;
}

static int opened(int (*real)(const char *, int, ...), const char *path, int flags, mode_t mode) {
  if (!inside(path)) return real(path, flags, mode);
  pthread_mutex_lock(&turn);
  int was = access(path, F_OK) == 0;
  int fd = real(path, flags, mode);
  struct stat is;
  if (fd >= 0 && fstat(fd, &is) == 0 && S_ISREG(is.st_mode)) {
    if (!was) note(CREATE, is.st_ino, 0, path, NULL, NULL, 0);
    else if (flags & O_TRUNC) note(TRUNCATE, is.st_ino, 0, NULL, NULL, NULL, 0);
  }
  pthread_mutex_unlock(&turn);
  return fd;
}

#define OPEN(name)                                              \
  int name(const char *path, int flags, ...) {                  \
    va_list more;                                               \
    va_start(more, flags);                                      \
    mode_t mode = flags & O_CREAT ? va_arg(more, mode_t) : 0;   \
    va_end(more);                                               \
    return opened(REAL(name), path, flags, mode);               \
  }
OPEN(open)
OPEN(open64)

static void wrote(int fd, const void *data, ssize_t length, off64_t offset) {
  uint64_t inode = length > 0 ? recorded(fd, NULL) : 0;
  if (inode) note(WRITE, inode, (uint64_t)offset, NULL, NULL, data, (uint64_t)length);
}

#define PWRITE(name, type)                                                  \
  ssize_t name(int fd, const void *data, size_t length, type offset) {      \
    pthread_mutex_lock(&turn);                                              \
    ssize_t done = REAL(name)(fd, data, length, offset);                    \
    wrote(fd, data, done, offset);                                          \
    pthread_mutex_unlock(&turn);                                            \
    return done;                                                            \
  }
PWRITE(pwrite, off_t)
PWRITE(pwrite64, off64_t)

ssize_t write(int fd, const void *data, size_t length) {
  if (!recorded(fd, NULL)) return REAL(write)(fd, data, length);
  pthread_mutex_lock(&turn);
  off64_t at = lseek64(fd, 0, SEEK_CUR);
  ssize_t done = REAL(write)(fd, data, length);
  wrote(fd, data, done, at);
  pthread_mutex_unlock(&turn);
  return done;
}

/* What can't be recorded is not done: a state would be missing otherwise. */
#define REFUSED(name, ...)                                     \
  ssize_t name(__VA_ARGS__) {                                  \
    if (recorded(fd, NULL)) abort();
#define PASSED(name, ...)                                      \
    return REAL(name)(__VA_ARGS__);                            \
  }
REFUSED(writev, int fd, const struct iovec *parts, int count)
PASSED(writev, fd, parts, count)
REFUSED(pwritev, int fd, const struct iovec *parts, int count, off_t at)
PASSED(pwritev, fd, parts, count, at)
REFUSED(pwritev64, int fd, const struct iovec *parts, int count, off64_t at)
PASSED(pwritev64, fd, parts, count, at)

#define TRUNCATED(name, type)                                                       \
  int name(int fd, type length) {                                                   \
    pthread_mutex_lock(&turn);                                                      \
    int done = REAL(name)(fd, length);                                              \
    uint64_t inode = done == 0 ? recorded(fd, NULL) : 0;                            \
    if (inode) note(TRUNCATE, inode, (uint64_t)length, NULL, NULL, NULL, 0);        \
    pthread_mutex_unlock(&turn);                                                    \
    return done;                                                                    \
  }
TRUNCATED(ftruncate, off_t)
TRUNCATED(ftruncate64, off64_t)

#define FLUSHED(name)                                                               \
  int name(int fd) {                                                                \
    pthread_mutex_lock(&turn);                                                      \
    int done = REAL(name)(fd);                                                      \
    int is_folder = 0;                                                              \
    uint64_t inode = done == 0 ? recorded(fd, &is_folder) : 0;                      \
    if (inode) note(is_folder ? FLUSH_FOLDER : FLUSH, inode, 0, NULL, NULL, NULL, 0); \
    pthread_mutex_unlock(&turn);                                                    \
    return done;                                                                    \
  }
FLUSHED(fsync)
FLUSHED(fdatasync)

#define NAMED(name, kind)                                                           \
  int name(const char *from, const char *to) {                                      \
    pthread_mutex_lock(&turn);                                                      \
    int done = REAL(name)(from, to);                                                \
    if (done == 0 && (inside(from) || inside(to))) note(kind, 0, 0, from, to, NULL, 0); \
    pthread_mutex_unlock(&turn);                                                    \
    return done;                                                                    \
  }
NAMED(rename, RENAME)
NAMED(link, LINK)

int unlink(const char *path) {
  pthread_mutex_lock(&turn);
  int done = REAL(unlink)(path);
  if (done == 0 && inside(path)) note(UNLINK, 0, 0, path, NULL, NULL, 0);
  pthread_mutex_unlock(&turn);
  return done;
}

int mkdir(const char *path, mode_t mode) {
  int done = REAL(mkdir)(path, mode);
  if (done == 0 && inside(path)) abort();
  return done;
}
