/* files_linux.c — writing files so that nothing is lost: complete or not at all, several together or none.
 *
 * Every output is written beside its target first. Only when all of them are complete are they put into place, one exchange each;
 * when one cannot be, those before it are brought back. A run that is killed leaves `.NAME.xxxxxx.oak~` beside its target: whoever
 * writes there holds a lock on it, so what nobody holds is a leftover, and the next run removes it. What has to be rewritten in place is kept
 * as it was in `.NAME.xxxxxx.was~` meanwhile; that one is never removed by another run. */
#define _GNU_SOURCE
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/random.h>
#include <sys/stat.h>
#include <unistd.h>

#include <oakspindle/linux.h>

#define ENDING ".oak~"
#define KEPT   ".was~" /* as long as the other */

enum { MOST_TRIES = 100, LONGEST_NAME = 200, OPEN_DESCRIPTORS = 64 };

typedef enum way {
    WAY_BESIDE,   /* written beside the target, then exchanged with it */
    WAY_IN_PLACE, /* into the file itself, which has other names or another owner: these stay */
    WAY_STREAM,   /* a pipe, a device: written to */
    WAY_OPEN      /* the same file is open here already (standard output): written there */
} way;

/* One output on its way. */
typedef struct target {
    const oak_linux_output *output;
    way way;
    char *path;     /* behind every link */
    char *beside;   /* what is written first; NULL: nothing yet */
    int descriptor; /* of `beside`, locked; or of what is open; -1 */
    char *kept;     /* what is rewritten in place, as it was */
    bool exists, placed, exchanged, rewritten;
    bool spoilt; /* half rewritten, and not to be brought back: what it was stays beside it */
    struct stat before;
} target;

static const char *reason(void)
{
    switch (errno) {
    case ENOSPC:
    case EDQUOT: return "there is no room left on the disk";
    case EACCES:
    case EPERM:
    case EROFS: return "you may not write there";
    case ENOENT: return "its folder does not exist";
    case ENOTDIR: return "what should be its folder is a file";
    case EISDIR: return "it is a folder";
    case ENAMETOOLONG: return "the name is too long";
    case ELOOP: return "its links lead in a circle";
    case EPIPE: return "nobody reads it any more";
    case ENOMEM: return "out of memory";
    case EFBIG: return "it is larger than a file may be here";
    default: return "it could not be written";
    }
}

static bool write_all(int descriptor, const void *bytes, size_t size)
{
    const char *at = bytes;
    while (size) {
        ssize_t part = write(descriptor, at, size);
        if (part < 0 && errno == EINTR) continue;
        if (part <= 0) return false;
        at += part;
        size -= (size_t)part;
    }
    return true;
}

/* ------------------------------------------------------------------------------------------ names beside a file */

/* Where the name begins in a path. */
static const char *name_in(const char *path)
{
    const char *slash = strrchr(path, '/');
    return slash ? slash + 1 : path;
}

/* `folder/.NAME.` and room for the rest; *before is the length of the last two parts. */
static char *make_beside(const char *path, size_t *folder, size_t *before)
{
    const char *name = name_in(path);
    size_t length = strlen(name) < LONGEST_NAME ? strlen(name) : LONGEST_NAME;
    *folder = (size_t)(name - path);
    *before = length + 2;
    char *text = malloc(*folder + *before + 6 + sizeof ENDING);
    if (!text) return NULL;
    memcpy(text, path, *folder);
    text[*folder] = '.';
    memcpy(text + *folder + 1, name, length);
    text[*folder + *before - 1] = '.';
    return text;
}

/* What earlier runs have left beside a file that were ended in the middle, by its ending: how many; with `remove` they are gone. */
static unsigned leftovers(const char *path, const char *ending, bool remove)
{
    size_t folder, before;
    unsigned count = 0;
    char *text = make_beside(path, &folder, &before);
    if (!text) return 0;
    char saved = text[folder];
    text[folder] = 0;
    DIR *entries = opendir(folder ? text : ".");
    text[folder] = saved;
    struct dirent *entry;
    while (entries && (entry = readdir(entries))) {
        size_t length = strlen(entry->d_name);
        if (length != before + 6 + sizeof ENDING - 1 || memcmp(entry->d_name, text + folder, before) != 0 ||
            strcmp(entry->d_name + before + 6, ending) != 0)
            continue;
        memcpy(text + folder, entry->d_name, length + 1);
        int descriptor = open(text, O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
        if (descriptor < 0) continue;
        if (flock(descriptor, LOCK_EX | LOCK_NB) == 0) { /* nobody writes it any more */
            count++;
            if (remove) unlink(text);
        }
        close(descriptor);
    }
    if (entries) closedir(entries);
    free(text);
    return count;
}

void oak_linux_clear_leftovers(const char *path)
{
    if (!path) return;
    char *whole = realpath(path, NULL);
    leftovers(whole ? whole : path, ENDING, true);
    free(whole);
}

/* Makes and locks a file beside the target. */
static bool open_beside(target *t)
{
    static const char letters[] = "abcdefghijklmnopqrstuvwxyz0123456789";
    size_t folder, before;
    t->beside = make_beside(t->path, &folder, &before);
    if (!t->beside) return false;
    for (unsigned tries = 0; tries < MOST_TRIES; tries++) {
        unsigned char random[6];
        struct stat info;
        if (getrandom(random, sizeof random, 0) != sizeof random) break;
        for (unsigned i = 0; i < sizeof random; i++)
            t->beside[folder + before + i] = letters[random[i] % (sizeof letters - 1)];
        memcpy(t->beside + folder + before + 6, ENDING, sizeof ENDING);
        t->descriptor = open(t->beside, O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0666);
        if (t->descriptor < 0 && errno == EEXIST) continue;
        if (t->descriptor < 0) break;
        /* Somebody who clears leftovers may have been quicker than the lock. */
        bool held =
            flock(t->descriptor, LOCK_EX | LOCK_NB) == 0 && fstat(t->descriptor, &info) == 0 && info.st_nlink;
        if (held) return true;
        close(t->descriptor);
        t->descriptor = -1;
    }
    free(t->beside);
    t->beside = NULL;
    return false;
}

/* ------------------------------------------------------------------------------------------ where it goes */

/* A descriptor that is open for writing on the same file, or -1: a name of standard output, say, which must not be replaced. */
static int already_open(const struct stat *info)
{
    struct stat other;
    for (int descriptor = 0; descriptor < OPEN_DESCRIPTORS; descriptor++) {
        int flags = fcntl(descriptor, F_GETFL);
        if (flags < 0 || (flags & O_ACCMODE) == O_RDONLY || fstat(descriptor, &other)) continue;
        if (other.st_dev == info->st_dev && other.st_ino == info->st_ino) return descriptor;
    }
    return -1;
}

/* Finds out what the output is; NULL, or why it cannot be written. */
static const char *look_at(target *t)
{
    struct stat link;
    const char *path = t->output->path;
    t->exists = stat(path, &t->before) == 0;
    if (!t->exists && errno != ENOENT) return reason();
    if (!t->exists && lstat(path, &link) == 0) return "it is a link that leads nowhere";
    if (t->exists && S_ISDIR(t->before.st_mode)) return "it is a folder";
    if (t->exists && !S_ISREG(t->before.st_mode)) {
        t->way = WAY_STREAM;
        return NULL;
    }
    if (t->exists && (t->descriptor = already_open(&t->before)) >= 0) {
        t->way = WAY_OPEN;
        return NULL;
    }
    if (!*name_in(path)) return "it is a folder";
    t->path =
        t->exists ? realpath(path, NULL) : strdup(path); /* behind a link the file it names is replaced */
    if (!t->path) return reason();
    if (t->exists && (!(t->before.st_mode & 0222) || faccessat(AT_FDCWD, t->path, W_OK, AT_EACCESS)))
        return "it is read-only";
    if (t->exists && t->output->keeps_links && t->before.st_nlink > 1) t->way = WAY_IN_PLACE;
    if (t->output->keeps_links && leftovers(t->path, KEPT, false))
        return "an earlier run was ended while it rewrote it; what it was is beside it, in a hidden file "
               "that ends in " KEPT ": bring that back, or remove it";
    return NULL;
}

/* ------------------------------------------------------------------------------------------ writing */

/* The new file is whose the old one was, and may be read and written by the same people. */
static bool keep_owner(target *t)
{
    struct stat now;
    if (!t->exists) return true;
    if (fstat(t->descriptor, &now)) return false;
    bool same = now.st_uid == t->before.st_uid && now.st_gid == t->before.st_gid;
    if (!same && fchown(t->descriptor, t->before.st_uid, t->before.st_gid) && t->output->keeps_links)
        return false;
    return fchmod(t->descriptor, t->before.st_mode & 07777) == 0;
}

/* Keeps what is to be rewritten in place as it was; the bytes stay at *before. */
static const char *keep_before(target *t)
{
    size_t size = (size_t)t->before.st_size, length = strlen(t->beside);
    char *name = strdup(t->beside);
    int from = open(t->path, O_RDONLY | O_CLOEXEC);
    t->kept = malloc(size + 1);
    const char *why = NULL;
    if (!name || !t->kept) why = "out of memory";
    else if (from < 0 || pread(from, t->kept, size, 0) != (ssize_t)size ||
             !write_all(t->descriptor, t->kept, size) || fsync(t->descriptor))
        why = reason();
    if (!why) {
        memcpy(name + length - (sizeof KEPT - 1), KEPT, sizeof KEPT);
        if (rename(t->beside, name)) why = reason();
        else memcpy(t->beside, name, length);
    }
    if (from >= 0) close(from);
    free(name);
    return why;
}

/* Writes it complete beside its target. */
static const char *prepare(target *t)
{
    leftovers(t->path, ENDING, true);
    if (!open_beside(t)) return reason();
    if (t->way == WAY_BESIDE && !keep_owner(t)) {
        if (!t->output->keeps_links) return reason();
        t->way = WAY_IN_PLACE;
    }
    if (t->way == WAY_IN_PLACE) return keep_before(t);
    if (!write_all(t->descriptor, t->output->bytes, t->output->size)) return reason();
    if (t->output->keeps_links && fsync(t->descriptor)) return reason();
    return NULL;
}

static bool write_at_start(int descriptor, const void *bytes, size_t size)
{
    return lseek(descriptor, 0, SEEK_SET) == 0 && write_all(descriptor, bytes, size) &&
           ftruncate(descriptor, (off_t)size) == 0;
}

/* Into the file itself. Room is made before anything is changed; what cannot be completed is brought back. */
static const char *write_in_place(target *t)
{
    const char *why = NULL;
    size_t size = (size_t)t->before.st_size;
    int descriptor = open(t->path, O_RDWR | O_CLOEXEC);
    if (descriptor < 0) why = reason();
    else if (t->output->size > size && (errno = posix_fallocate(descriptor, 0, (off_t)t->output->size))) {
        why = reason();
        if (ftruncate(descriptor, (off_t)size)) why = "there is no room left on the disk";
    } else if (!write_at_start(descriptor, t->output->bytes, t->output->size)) {
        why = reason();
        t->spoilt = !write_at_start(descriptor, t->kept, size);
        if (t->spoilt)
            why = "it could not be written whole; what it was is beside it, in a hidden file that ends "
                  "in " KEPT;
    } else if (fsync(descriptor)) why = reason();
    if (descriptor >= 0) close(descriptor);
    return why;
}

static const char *write_stream(target *t)
{
    int descriptor =
        t->way == WAY_OPEN ? t->descriptor : open(t->output->path, O_WRONLY | O_CLOEXEC | O_NOCTTY);
    if (descriptor < 0) return reason();
    const char *why = write_all(descriptor, t->output->bytes, t->output->size) ? NULL : reason();
    if (t->way == WAY_STREAM && close(descriptor) && !why) why = reason();
    return why;
}

static const char *put_into_place(target *t)
{
    if (t->way == WAY_IN_PLACE) {
        const char *why = write_in_place(t);
        t->rewritten = !why;
        return why;
    }
    if (t->exists && renameat2(AT_FDCWD, t->beside, AT_FDCWD, t->path, RENAME_EXCHANGE) == 0) {
        t->placed = t->exchanged = true;
        return NULL;
    }
    /* A new file; or a file system that cannot exchange. */
    if (rename(t->beside, t->path)) return reason();
    t->placed = true;
    return NULL;
}

/* What was there before is there again, as far as that can be. */
static void bring_back(target *t)
{
    if (t->rewritten) {
        int descriptor = open(t->path, O_RDWR | O_CLOEXEC);
        t->spoilt = descriptor < 0 || !write_at_start(descriptor, t->kept, (size_t)t->before.st_size);
        if (descriptor >= 0) close(descriptor);
    }
    if (!t->placed) return;
    if (t->exchanged) renameat2(AT_FDCWD, t->beside, AT_FDCWD, t->path, RENAME_EXCHANGE);
    else if (!t->exists) unlink(t->path);
}

static void finish(target *t)
{
    if (t->beside && (!t->placed || t->exchanged) && !t->spoilt) unlink(t->beside);
    if (t->descriptor >= 0 && t->way != WAY_OPEN) close(t->descriptor);
    free(t->beside);
    free(t->kept);
    free(t->path);
}

oak_status oak_linux_write_files(const oak_linux_output *outputs, size_t count, size_t *failed,
                                 const char **why)
{
    if ((!outputs && count)) return OAK_MISUSE;
    target *targets = calloc(count ? count : 1, sizeof *targets);
    const char *fault = targets ? NULL : "out of memory";
    size_t at = 0, placed = 0;
    for (size_t i = 0; targets && i < count; i++)
        targets[i] = (target){.output = &outputs[i], .descriptor = -1};
    for (at = 0; !fault && at < count; at++) fault = look_at(&targets[at]);
    for (at = fault ? at : 0; !fault && at < count; at++)
        if (targets[at].path) fault = prepare(&targets[at]);
    /* What cannot be taken back goes first: when it fails, no file has changed yet. */
    for (at = fault ? at : 0; !fault && at < count; at++)
        if (!targets[at].path) fault = write_stream(&targets[at]);
    for (at = fault ? at : 0; !fault && at < count; at++)
        if (targets[at].path && !(fault = put_into_place(&targets[at]))) placed = at + 1;
    for (size_t i = placed; fault && i-- > 0;) bring_back(&targets[i]);
    for (size_t i = 0; targets && i < count; i++) finish(&targets[i]);
    free(targets);
    if (!fault) return OAK_OK;
    if (failed) *failed = at ? at - 1 : 0;
    if (why) *why = fault;
    return strcmp(fault, "out of memory") == 0 ? OAK_NO_MEMORY : OAK_IO_ERROR;
}

oak_status oak_linux_write_file(const char *path, const void *bytes, size_t size)
{
    if (!path || (!bytes && size)) return OAK_MISUSE;
    const oak_linux_output output = {.path = path, .bytes = bytes, .size = size};
    return oak_linux_write_files(&output, 1, NULL, NULL);
}
