/* SPDX-License-Identifier: Apache-2.0
   Faults on request, put before a program by LD_PRELOAD: what a disk, a neighbour or a clock may do.
     FAULT_WRITE=n   the n-th call that changes a file (write, pwrite, rename, ftruncate, fsync) and all later
                     ones fail as on a full disk; FAULT_KILL=n kills the process there instead
     FAULT_READ=n    at the n-th read of FAULT_FILE a row is appended to it
     FAULT_CLOCK=1   the wall clock jumps by a day to and fro
   Standard output and error are never among them. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/uio.h>
#include <time.h>
#include <unistd.h>

static atomic_int changes, reads, ticks;

static int asked(const char* name) {
  const char* value = getenv(name);
  return value ? atoi(value) : 0;
}

/* Whether this change fails. */
static int fails(void) {
  const int full = asked("FAULT_WRITE"), kill_at = asked("FAULT_KILL");
  if (!full && !kill_at) return 0;
  const int now = atomic_fetch_add(&changes, 1) + 1;
  if (kill_at && now >= kill_at) kill(getpid(), SIGKILL);
  if (!full || now < full) return 0;
  errno = ENOSPC;
  return 1;
}

#define REAL(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))

ssize_t write(int file, const void* bytes, size_t count) {
  if (file > 2 && fails()) return -1;
  return REAL(write)(file, bytes, count);
}
ssize_t writev(int file, const struct iovec* parts, int count) {
  if (file > 2 && fails()) return -1;
  return REAL(writev)(file, parts, count);
}
ssize_t pwrite64(int file, const void* bytes, size_t count, off64_t at) {
  if (fails()) return -1;
  return REAL(pwrite64)(file, bytes, count, at);
}
int rename(const char* from, const char* to) {
  if (fails()) return -1;
  return REAL(rename)(from, to);
}
int truncate(const char* path, off_t size) {
  if (fails()) return -1;
  return REAL(truncate)(path, size);
}
int ftruncate64(int file, off64_t size) {
  if (fails()) return -1;
  return REAL(ftruncate64)(file, size);
}
int fdatasync(int file) {
  if (fails()) return -1;
  return REAL(fdatasync)(file);
}

ssize_t read(int file, void* bytes, size_t count) {
  const char* path = getenv("FAULT_FILE");
  if (path) {
    char link[32], name[4096];
    snprintf(link, sizeof link, "/proc/self/fd/%d", file);
    const ssize_t length = readlink(link, name, sizeof name - 1);
    if (length > 0) {
      name[length] = 0;
      if (strcmp(name, path) == 0 && atomic_fetch_add(&reads, 1) + 1 == asked("FAULT_READ")) {
        static const char row[] = "2061-01-01,1\n";
        const int out = open(path, O_WRONLY | O_APPEND);
        if (REAL(write)(out, row, sizeof row - 1) < 0) abort();
        close(out);
      }
    }
  }
  return REAL(read)(file, bytes, count);
}

int clock_gettime(clockid_t clock, struct timespec* now) {
  const int result = REAL(clock_gettime)(clock, now);
  if (clock == CLOCK_REALTIME && asked("FAULT_CLOCK"))
    now->tv_sec += (atomic_fetch_add(&ticks, 1) % 2 ? 1 : -1) * 86400;
  return result;
}
