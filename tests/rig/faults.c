/* faults.c — what can go wrong around a program, put in front of it (LD_PRELOAD): memory that runs out, a full disk, short writes,
 * a rename that fails, and being killed at any moment. Told by the environment:
 *
 *   OAK_FAULT_MEMORY=N     the Nth request for memory gets none (N+: neither do all later ones)
 *   OAK_FAULT_DISK=N       after N bytes in files the disk is full
 *   OAK_FAULT_SHORT=N      no write takes more than N bytes
 *   OAK_FAULT_RENAME=N     the Nth renaming fails
 *   OAK_FAULT_KILL=N       the process is killed before its Nth deed on files
 *   OAK_FAULT_COUNT=FILE   how many requests, bytes, renamings and deeds there were, when it ends */
#define _GNU_SOURCE
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

extern void *__libc_malloc(size_t);
extern void *__libc_calloc(size_t, size_t);
extern void *__libc_realloc(void *, size_t);

static unsigned long requests, bytes_written, renamings, deeds;
static unsigned long memory_at, disk_at, short_at, rename_at, kill_at;
static int memory_for_good, begun;

static unsigned long setting(const char *name)
{
    const char *text = getenv(name);
    return text ? strtoul(text, NULL, 10) : 0;
}

__attribute__((constructor)) static void begin(void)
{
    const char *memory = getenv("OAK_FAULT_MEMORY");
    memory_at = setting("OAK_FAULT_MEMORY");
    memory_for_good = memory && strchr(memory, '+') != NULL;
    disk_at = setting("OAK_FAULT_DISK");
    short_at = setting("OAK_FAULT_SHORT");
    rename_at = setting("OAK_FAULT_RENAME");
    kill_at = setting("OAK_FAULT_KILL");
    begun = 1;
}

__attribute__((destructor)) static void end(void)
{
    const char *path = getenv("OAK_FAULT_COUNT");
    char text[200];
    if (!path) return;
    int length = snprintf(text, sizeof text, "%lu %lu %lu %lu\n", requests, bytes_written, renamings, deeds);
    int descriptor = (int)syscall(SYS_openat, AT_FDCWD, path, O_WRONLY | O_CREAT | O_TRUNC, 0666);
    if (syscall(SYS_write, descriptor, text, (size_t)length) < 0) _exit(99);
}

/* ------------------------------------------------------------------------------------------ memory */

static int is_refused(void)
{
    if (!begun) return 0;
    unsigned long number = __atomic_add_fetch(&requests, 1, __ATOMIC_RELAXED);
    if (!memory_at || (memory_for_good ? number < memory_at : number != memory_at)) return 0;
    errno = ENOMEM;
    return 1;
}

void *malloc(size_t size)
{
    return is_refused() ? NULL : __libc_malloc(size);
}

void *calloc(size_t count, size_t size)
{
    return is_refused() ? NULL : __libc_calloc(count, size);
}

void *realloc(void *block, size_t size)
{
    return size && is_refused() ? NULL : __libc_realloc(block, size);
}

/* ------------------------------------------------------------------------------------------ files */

static void deed(void)
{
    if (++deeds == kill_at) syscall(SYS_kill, getpid(), SIGKILL);
}

ssize_t write(int descriptor, const void *bytes, size_t size)
{
    struct stat info;
    if (fstat(descriptor, &info) == 0 && S_ISREG(info.st_mode)) {
        deed();
        if (short_at && size > short_at) size = short_at;
        /* Only what makes a file longer takes room. */
        off_t at = lseek(descriptor, 0, SEEK_CUR);
        unsigned long inside = at < info.st_size ? (unsigned long)(info.st_size - at) : 0,
                      more = size > inside ? size - inside : 0;
        unsigned long left = disk_at > bytes_written ? disk_at - bytes_written : 0;
        if (disk_at && more > left) size -= more - left, more = left;
        if (disk_at && !size) {
            errno = ENOSPC;
            return -1;
        }
        bytes_written += more;
    }
    return syscall(SYS_write, descriptor, bytes, size);
}

int open(const char *path, int flags, ...)
{
    va_list arguments;
    va_start(arguments, flags);
    unsigned mode = flags & O_CREAT ? va_arg(arguments, unsigned) : 0;
    va_end(arguments);
    if (flags & O_CREAT) deed();
    return (int)syscall(SYS_openat, AT_FDCWD, path, flags, mode);
}

int renameat2(int from_folder, const char *from, int to_folder, const char *to, unsigned flags)
{
    deed();
    if (++renamings == rename_at) {
        errno = EIO;
        return -1;
    }
    return (int)syscall(SYS_renameat2, from_folder, from, to_folder, to, flags);
}

int rename(const char *from, const char *to)
{
    return renameat2(AT_FDCWD, from, AT_FDCWD, to, 0);
}

int unlink(const char *path)
{
    deed();
    return (int)syscall(SYS_unlinkat, AT_FDCWD, path, 0);
}

int fsync(int descriptor)
{
    deed();
    return (int)syscall(SYS_fsync, descriptor);
}

int ftruncate(int descriptor, off_t size)
{
    deed();
    return (int)syscall(SYS_ftruncate, descriptor, size);
}

int posix_fallocate(int descriptor, off_t from, off_t size)
{
    struct stat info;
    deed();
    if (disk_at && fstat(descriptor, &info) == 0 &&
        bytes_written + (unsigned long)(from + size - info.st_size) > disk_at)
        return ENOSPC;
    return syscall(SYS_fallocate, descriptor, 0, from, size) ? errno : 0;
}
