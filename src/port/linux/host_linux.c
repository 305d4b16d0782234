/* host_linux.c — the host port over the C library, and complete-or-nothing writing of files. */
#define _XOPEN_SOURCE 700
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include <oakspindle/linux.h>

static void *resize(void *context, void *block, size_t old_size, size_t new_size)
{
    (void)context;
    (void)old_size;
    if (new_size) return realloc(block, new_size);
    free(block);
    return NULL;
}

static oak_status read_file(void *context, const char *path, size_t limit, uint8_t **bytes, size_t *size)
{
    (void)context;
    struct stat info;
    FILE *file = fopen(path, "rb");
    if (!file) return errno == ENOENT || errno == ENOTDIR ? OAK_NOT_FOUND : OAK_IO_ERROR;
    oak_status status = OAK_OK;
    uint8_t *read = NULL;
    size_t room = 0, count = 0;
    if (fstat(fileno(file), &info) || S_ISDIR(info.st_mode)) status = OAK_IO_ERROR;
    else if (info.st_size > 0) room = (size_t)info.st_size + 1;
    while (!status) {
        if (room > limit + 1) room = limit + 1;
        if (count == limit + 1) status = OAK_OUT_OF_RANGE;
        else if (count == room || !read) {
            size_t wanted = !read ? (room ? room : 4096) : room * 2;
            if (wanted > limit + 1) wanted = limit + 1;
            uint8_t *grown = realloc(read, wanted);
            if (!grown) status = OAK_NO_MEMORY;
            else read = grown, room = wanted;
        } else {
            size_t part = fread(read + count, 1, room - count, file);
            count += part;
            if (!part) {
                if (ferror(file)) status = OAK_IO_ERROR;
                break;
            }
        }
    }
    fclose(file);
    if (status || !count) {
        free(read);
        read = NULL;
        count = 0;
    }
    *bytes = read;
    *size = count;
    return status;
}

oak_host oak_linux_host(void)
{
    return (oak_host){.resize = resize, .read_file = read_file};
}

oak_status oak_linux_write_file(const char *path, const void *bytes, size_t size)
{
    struct stat info;
    bool device = strncmp(path, "/dev/", 5) == 0 || strncmp(path, "/proc/", 6) == 0;
    if (device ||
        (stat(path, &info) == 0 && !S_ISREG(info.st_mode))) { /* a pipe or a device: nothing to rename */
        FILE *file = fopen(path, "ab");
        if (!file) return OAK_IO_ERROR;
        bool written = fwrite(bytes, 1, size, file) == size;
        return fclose(file) || !written ? OAK_IO_ERROR : OAK_OK;
    }
    /* Behind a symbolic link the file it names is replaced, not the link. */
    char *target = realpath(path, NULL);
    if (target) path = target;
    size_t length = strlen(path);
    char *beside = malloc(length + 8);
    if (!beside) {
        free(target);
        return OAK_NO_MEMORY;
    }
    memcpy(beside, path, length);
    memcpy(beside + length, ".XXXXXX", 8);
    int descriptor = mkstemp(beside);
    FILE *file = descriptor < 0 ? NULL : fdopen(descriptor, "wb");
    bool good = file && fwrite(bytes, 1, size, file) == size;
    if (file) {
        mode_t mask = umask(0);
        umask(mask);
        if (fchmod(descriptor, 0666 & ~mask)) good = false;
        if (fclose(file)) good = false;
    }
    if (good && rename(beside, path)) good = false;
    if (!good && descriptor >= 0) unlink(beside);
    free(beside);
    free(target);
    return good ? OAK_OK : OAK_IO_ERROR;
}
