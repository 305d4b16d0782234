/* host_linux.c — the host port over the C library's memory and files. */
#define _DEFAULT_SOURCE
#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <oakspindle/linux.h>

/* Large blocks lie in large pages where the system has them: what a source of a megabyte needs is then had with a tenth of the
 * page faults. */
enum { LARGE_PAGE = 2 << 20 };

static void *resize(void *context, void *block, size_t old_size, size_t new_size)
{
    (void)context;
    if (new_size >= LARGE_PAGE && new_size > old_size) {
        void *large = NULL;
        if (new_size > PTRDIFF_MAX || posix_memalign(&large, LARGE_PAGE, new_size)) return NULL;
        (void)madvise(large, new_size / LARGE_PAGE * LARGE_PAGE, MADV_HUGEPAGE); /* or not */
        if (block) memcpy(large, block, old_size);
        free(block);
        return large;
    }
    if (new_size) return realloc(block, new_size);
    free(block);
    return NULL;
}

static void *zeroed(void *context, size_t size)
{
    (void)context;
    return calloc(1, size);
}

/* Everything up to the end; the file may grow or shrink meanwhile, and a pipe has no size. */
static oak_status read_all(int descriptor, size_t room, size_t limit, uint8_t **bytes, size_t *size)
{
    enum { FIRST = 4096 };
    uint8_t *read_so_far = NULL;
    size_t count = 0;
    room = room ? room + 1 : FIRST; /* one more, so that the end is seen at once */
    for (;;) {
        if (count > limit) break;
        if (!read_so_far || count == room) {
            if (read_so_far) room *= 2;
            if (room > limit + 1) room = limit + 1;
            uint8_t *grown = resize(NULL, read_so_far, count, room);
            if (!grown) {
                free(read_so_far);
                return OAK_NO_MEMORY;
            }
            read_so_far = grown;
        }
        ssize_t part = read(descriptor, read_so_far + count, room - count);
        if (part < 0 && errno == EINTR) continue;
        if (part < 0) {
            free(read_so_far);
            return OAK_IO_ERROR;
        }
        if (!part) break;
        count += (size_t)part;
    }
    if (!count || count > limit) {
        free(read_so_far);
        read_so_far = NULL;
    }
    *bytes = read_so_far;
    *size = read_so_far ? count : 0;
    return count > limit ? OAK_OUT_OF_RANGE : OAK_OK;
}

static oak_status why_not(void)
{
    return errno == ENOENT || errno == ENOTDIR ? OAK_NOT_FOUND
           : errno == ENXIO                    ? OAK_NOT_A_FILE
                                               : OAK_IO_ERROR;
}

static oak_status read_file(void *context, const char *path, size_t limit, uint8_t **bytes, size_t *size)
{
    struct stat info;
    (void)context;
    *bytes = NULL;
    *size = 0;
    int descriptor = open(path, O_RDONLY | O_CLOEXEC | O_NONBLOCK |
                                    O_NOCTTY); /* a pipe nobody writes to is not waited for */
    if (descriptor < 0) return why_not();
    oak_status status = fstat(descriptor, &info) ? OAK_IO_ERROR
                        : S_ISREG(info.st_mode)  ? OAK_OK
                                                 : OAK_NOT_A_FILE;
    if (!status) status = read_all(descriptor, (size_t)info.st_size, limit, bytes, size);
    close(descriptor);
    return status;
}

oak_status oak_linux_read_stream(const char *path, size_t limit, uint8_t **bytes, size_t *size)
{
    if (!path || !bytes || !size) return OAK_MISUSE;
    *bytes = NULL;
    *size = 0;
    int descriptor = open(path, O_RDONLY | O_CLOEXEC | O_NOCTTY);
    if (descriptor < 0) return why_not();
    oak_status status = read_all(descriptor, 0, limit, bytes, size);
    close(descriptor);
    return status;
}

oak_host oak_linux_host(void)
{
    return (oak_host){.resize = resize, .read_file = read_file, .zeroed = zeroed};
}
