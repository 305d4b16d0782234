/* files.c — the files of a command: what it has read is remembered, and what it writes is never one of them, nor written twice.
 *
 * Files are the same by device and inode, whatever they are called. */
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include <oakspindle/linux.h>

#include "cli.h"
#include "parts/built_in.h"

typedef struct identity {
    dev_t device;
    ino_t inode;
} identity;

typedef struct file_list {
    identity *list;
    char **names; /* as they were called first; NULL where nobody asks */
    size_t count, room;
} file_list;

/* One command is run in a process. */
static file_list read_files, written_files;
static int given_count;
static const char **given;

static bool find(const file_list *files, const struct stat *info, size_t *at)
{
    for (size_t i = files->count; i-- > 0;)
        if (files->list[i].device == info->st_dev && files->list[i].inode == info->st_ino) {
            *at = i;
            return true;
        }
    return false;
}

static bool add(file_list *files, const struct stat *info, const char *name)
{
    size_t at;
    if (find(files, info, &at)) return true;
    if (files->count == files->room) {
        size_t room = files->room ? files->room * 2 : 32;
        identity *list = cli_realloc(files->list, room * sizeof *list);
        if (list) files->list = list;
        char **names = list ? cli_realloc(files->names, room * sizeof *names) : NULL;
        if (!names) return false;
        files->names = names;
        files->room = room;
    }
    char *copy = cli_strdup(name);
    if (!copy) return false;
    files->list[files->count] = (identity){info->st_dev, info->st_ino};
    files->names[files->count++] = copy;
    return true;
}

static void forget(file_list *files)
{
    for (size_t i = 0; i < files->count; i++) free(files->names[i]);
    free(files->names);
    free(files->list);
    *files = (file_list){0};
}

void cli_clear_leftovers(void)
{
    for (size_t i = 0; i < read_files.count; i++) oak_linux_clear_leftovers(read_files.names[i]);
}

void cli_forget_files(void)
{
    forget(&read_files);
    forget(&written_files);
}

/* ------------------------------------------------------------------------------------------ reading */

/* Was it named by whoever has given the command, as an argument or behind the = of an option? */
static bool is_given(const char *path)
{
    for (int i = 1; i < given_count; i++) {
        const char *equals = strncmp(given[i], "--", 2) == 0 ? strchr(given[i], '=') : NULL;
        if (strcmp(given[i], path) == 0 || (equals && strcmp(equals + 1, path) == 0)) return true;
    }
    return false;
}

bool cli_note_read(const char *path)
{
    struct stat info;
    size_t at;
    if (stat(path, &info) || !S_ISREG(info.st_mode) || find(&written_files, &info, &at)) return true;
    return add(&read_files, &info, path);
}

static void *resize(void *context, void *block, size_t old_size, size_t new_size)
{
    const oak_host *host = context;
    void *made = host->resize(host->context, block, old_size, new_size);
    if (!made && new_size) cli_lose_memory();
    return made;
}

static void *zeroed(void *context, size_t size)
{
    const oak_host *host = context;
    void *made = host->zeroed(host->context, size);
    if (!made) cli_lose_memory();
    return made;
}

const built_in_file *cli_built_in(const char *path)
{
    const char *folder = cli_parts_folder(), *slash = strrchr(path, '/');
    char name[300];
    if (strncmp(path, CLI_BUILT_IN "/", sizeof CLI_BUILT_IN) == 0)
        snprintf(name, sizeof name, "%.290s", path + sizeof CLI_BUILT_IN);
    else if (slash && strlen(folder) == (size_t)(slash - path) && strncmp(path, folder, strlen(folder)) == 0)
        snprintf(name, sizeof name, "parts%.290s", slash);
    else return NULL;
    for (const built_in_file *one = built_in_files; one->name; one++)
        if (strcmp(one->name, name) == 0) return one;
    return NULL;
}

static oak_status read_built_in(const oak_host *host, const built_in_file *file, uint8_t **bytes,
                                size_t *size)
{
    *bytes = host->resize(host->context, NULL, 0, file->size);
    if (!*bytes) return OAK_NO_MEMORY;
    memcpy(*bytes, file->bytes, file->size);
    *size = file->size;
    return OAK_OK;
}

static cli_read_fn tell_read;
static void *tell_context;

void cli_watch_reads(cli_read_fn tell, void *context)
{
    tell_read = tell;
    tell_context = context;
}

static oak_status read_file(void *context, const char *path, size_t limit, uint8_t **bytes, size_t *size)
{
    const oak_host *host = context;
    struct stat info;
    const built_in_file *built_in =
        access(path, F_OK) ? cli_built_in(path) : NULL; /* what is there comes first */
    if (built_in && built_in->size <= limit) return read_built_in(host, built_in, bytes, size);
    /* Looked at before it is opened: whoever writes to a pipe that is opened and closed loses what he writes. */
    bool pipe = is_given(path) && stat(path, &info) == 0 && S_ISFIFO(info.st_mode);
    oak_status status = pipe ? oak_linux_read_stream(path, limit, bytes, size)
                             : host->read_file(host->context, path, limit, bytes, size);
    if (!status && !cli_note_read(path)) {
        if (*bytes) host->resize(host->context, *bytes, *size, 0);
        *bytes = NULL;
        *size = 0;
        return OAK_NO_MEMORY;
    }
    if (!status && tell_read) tell_read(tell_context, path, *bytes, *size);
    return status;
}

oak_host cli_host(int count, const char **arguments)
{
    static oak_host host;
    host = oak_linux_host();
    given_count = count;
    given = arguments;
    return (oak_host){.context = &host, .resize = resize, .read_file = read_file, .zeroed = zeroed};
}

/* ------------------------------------------------------------------------------------------ writing */

static void refuse(cli *self, const char *path, const char *why, const char *hint)
{
    char message[400];
    snprintf(message, sizeof message, "cannot write %.250s: %.120s", path, why);
    oak_diagnostic d = {.severity = OAK_ERROR, .code = "no-output", .message = message, .hint = hint};
    self->sink.report(self->sink.context, &d);
}

/* The folder a name lies in; free it. NULL when there is no memory. */
static char *folder_of(const char *path)
{
    const char *slash = strrchr(path, '/');
    if (!slash) return cli_strdup(".");
    return slash == path ? cli_strdup("/") : cli_strndup(path, (size_t)(slash - path));
}

/* Two names of one file, be it there or not. */
static bool same_place(const char *a, const char *b)
{
    struct stat one, other;
    bool here = stat(a, &one) == 0, there = stat(b, &other) == 0;
    if (here && there) {
        bool nothing = S_ISCHR(one.st_mode) && stat("/dev/null", &other) == 0 && one.st_rdev == other.st_rdev;
        if (nothing) return false; /* as much as one likes */
        stat(b, &other);
        return one.st_dev == other.st_dev && one.st_ino == other.st_ino;
    }
    if (here || there) return false;
    const char *name = strrchr(a, '/'), *other_name = strrchr(b, '/');
    if (strcmp(name ? name + 1 : a, other_name ? other_name + 1 : b) != 0) return false;
    char *folder = folder_of(a), *other_folder = folder_of(b);
    bool same = folder && other_folder && stat(folder, &one) == 0 && stat(other_folder, &other) == 0 &&
                one.st_dev == other.st_dev && one.st_ino == other.st_ino;
    free(folder);
    free(other_folder);
    return same;
}

bool cli_may_write(cli *self, const char *path)
{
    struct stat info;
    size_t at;
    if (strcmp(path, "-") == 0 || stat(path, &info) || !find(&read_files, &info, &at)) return true;
    char why[300];
    bool called = strcmp(read_files.names[at], path) == 0;
    snprintf(why, sizeof why, called ? "it is read here" : "it is read here, as %.200s",
             read_files.names[at]);
    refuse(self, path, why, "Choose another name for what is written.");
    return false;
}

static bool may_write_all(cli *self, const cli_file *files, unsigned count)
{
    for (unsigned i = 0; i < count; i++) {
        const char *path = files[i].path;
        if (files[i].text->failed) {
            refuse(self, path, "out of memory", NULL);
            return false;
        }
        if (!files[i].own && !cli_may_write(self, path)) return false;
        for (unsigned k = 0; k < i; k++) {
            bool both = strcmp(path, "-") == 0 || strcmp(files[k].path, "-") == 0;
            if (both ? strcmp(path, files[k].path) != 0 : !same_place(path, files[k].path)) continue;
            refuse(self, path, "something else is to be written there already",
                   "Give each output a name of its own.");
            return false;
        }
    }
    return true;
}

bool cli_print_bytes(cli *self, const void *bytes, size_t size)
{
    if (fflush(stdout) == 0 && cli_write_raw(bytes, size)) return true;
    refuse(self, "standard output",
           errno == ENOSPC ? "there is no room left on the disk" : "it could not be written", NULL);
    return false;
}

bool cli_write_files(cli *self, const cli_file *files, unsigned count)
{
    enum { MOST_FILES = 64 };
    oak_linux_output outputs[MOST_FILES];
    const char *why = NULL;
    size_t given_to = 0, failed = 0;
    if (cli_memory_lost()) return cli_failed(self, OAK_NO_MEMORY, files[0].path) == EXIT_DONE;
    if (count > MOST_FILES || !may_write_all(self, files, count)) return false;
    fflush(stdout); /* a file may be standard output by its name */
    for (unsigned i = 0; i < count; i++) {
        if (strcmp(files[i].path, "-") == 0) continue;
        outputs[given_to++] =
            (oak_linux_output){files[i].path, files[i].text->bytes ? files[i].text->bytes : "",
                               files[i].text->size, files[i].own};
    }
    if (oak_linux_write_files(outputs, given_to, &failed, &why)) {
        bool nowhere = strstr(why, "folder does not exist") || strstr(why, "may not");
        refuse(self, outputs[failed].path, why,
               nowhere ? "Does the folder exist, and may you write there?" : NULL);
        return false;
    }
    for (unsigned i = 0; i < count; i++) {
        struct stat info;
        const cli_text *text = files[i].text;
        if (strcmp(files[i].path, "-") == 0) {
            if (!cli_print_bytes(self, text->bytes ? text->bytes : "", text->size)) return false;
        } else if (stat(files[i].path, &info) == 0 && S_ISREG(info.st_mode) && !files[i].own) {
            if (!add(&written_files, &info, files[i].path))
                return cli_failed(self, OAK_NO_MEMORY, files[i].path) == EXIT_DONE;
        }
    }
    return true;
}

bool cli_write_file(cli *self, const char *path, const cli_text *text)
{
    const cli_file file = {path, text, false};
    return cli_write_files(self, &file, 1);
}

/* ------------------------------------------------------------------------------------------ outputs of a project */

static bool lies_in(const char *folder, const char *whole)
{
    size_t length = strlen(folder);
    return strncmp(whole, folder, length) == 0 &&
           (folder[length - 1] == '/' || whole[length] == '/' || !whole[length]);
}

bool cli_inside_project(const char *path)
{
    errno = 0;
    char *here = realpath(".", NULL), *folder = folder_of(path);
    char *whole_folder = folder ? realpath(folder, NULL) : NULL, *whole = realpath(path, NULL);
    bool climbs = *path == '/' || strcmp(path, "..") == 0 || strncmp(path, "../", 3) == 0 ||
                  strstr(path, "/../") || (strlen(path) > 2 && strcmp(path + strlen(path) - 3, "/..") == 0);
    if (errno == ENOMEM) cli_lose_memory();
    bool inside =
        here && !climbs && (!whole_folder || lies_in(here, whole_folder)) && (!whole || lies_in(here, whole));
    free(here);
    free(folder);
    free(whole_folder);
    free(whole);
    return inside;
}
