/* cmd_receive.c — `spindle receive`: a file that arrives over a line, or what is in a chip. */
#include <popt.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "talking.h"

typedef struct receiving {
    talking t;
    char *verify, *symbols;
    long long size, base;
    int blank, about, json;
    oak_part *part;
    const char *path;
    bool folder;      /* files get the names that are sent */
    cli_text text;    /* of the file under way */
    char name[300];   /* where it goes */
    uint64_t said;    /* its size, UINT64_MAX when nobody has said it */
    unsigned written; /* files */
    uint64_t bytes;
    cJSON *files, *part_found, *regions; /* regions: of --about, or NULL */
} receiving;

/* ------------------------------------------------------------------------------------------ as a file */

/* The file that has come is written when the next one begins, or all is over: a transfer that fails leaves nothing half. */
static bool finish_file(receiving *r)
{
    if (!*r->name) return true;
    if (r->said == UINT64_MAX && r->size > 0 && (uint64_t)r->size < r->text.size)
        r->text.size = (size_t)r->size;
    if (r->said == UINT64_MAX && !r->size) { /* text does not end with what fills the last packet */
        size_t end = r->text.size;
        while (end && r->text.bytes[end - 1] == 0x1A) end--;
        if (end && (r->text.bytes[0] == ':' || r->text.bytes[0] == 'S')) r->text.size = end;
    }
    bool good = cli_write_file(r->t.self, r->name, &r->text);
    char count[40];
    if (good) {
        talking_clear(&r->t);
        printf("received %s: %s bytes\n", r->name, cli_count(r->text.size, count, sizeof count));
        cJSON *one = cJSON_CreateObject();
        cJSON_AddStringToObject(one, "file", r->name);
        cJSON_AddNumberToObject(one, "bytes", (double)r->text.size);
        cJSON_AddItemToArray(r->files, one);
        r->written++;
    }
    r->text.size = 0;
    *r->name = 0;
    return good;
}

static bool begin_file(void *context, const char *name, uint64_t size)
{
    receiving *r = context;
    if (!finish_file(r) || (!r->folder && r->written)) return false;
    const char *slash = strrchr(name, '/'), *last = slash ? slash + 1 : name;
    if (r->folder && (!*last || *last == '.' || strlen(last) > 200))
        return false; /* nothing hidden, nothing outside */
    for (const char *c = last; *c; c++)
        if ((unsigned char)*c < ' ') return false;
    if (r->folder) snprintf(r->name, sizeof r->name, "%.90s/%s", r->path, last);
    else snprintf(r->name, sizeof r->name, "%s", r->path);
    r->said = size;
    return size == UINT64_MAX || size <= OAK_LARGEST_MEMORY * 4ull;
}

static oak_status keep(void *context, const uint8_t *bytes, size_t count)
{
    receiving *r = context;
    oak_text_sink sink = cli_text_sink(&r->text);
    if (r->text.size + count > OAK_LARGEST_MEMORY * 4ull) return OAK_OUT_OF_RANGE;
    return sink.write(sink.context, (const char *)bytes, count);
}

static int receive_file(receiving *r)
{
    const oak_file_sink sink = {.context = r, .begin = begin_file, .write = keep};
    if (r->t.way != TALK_YMODEM && r->folder)
        return cli_usage(r->t.self, r->t.of, "YMODEM brings names: --protocol ymodem.",
                         "XMODEM brings no name: name a file, not a folder");
    oak_status status = oak_file_receive(&r->t.talk, talking_file_way(r->t.way), &sink);
    if (status) return talking_ends(&r->t, status);
    if (r->t.way == TALK_XMODEM && r->text.size)
        cli_remark(r->t.self, "line", r->t.device, "--protocol xmodem-crc asks for better.",
                   "one damaged packet of 256 passes a checksum of 8 bits");
    return finish_file(r) ? EXIT_DONE : EXIT_REFUSED;
}

/* ------------------------------------------------------------------------------------------ out of a chip */

static bool ends_with(const char *path, const char *ending)
{
    size_t length = strlen(path), size = strlen(ending);
    return length > size && strcmp(path + length - size, ending) == 0;
}

static int write_image(receiving *r, const oak_image *image)
{
    oak_text_sink sink = cli_text_sink(&r->text);
    uint32_t base;
    char count[40];
    oak_status status = ends_with(r->path, ".bin")
                            ? oak_raw_write(image, 0xFF, OAK_LARGEST_MEMORY, &sink, &base)
                        : ends_with(r->path, ".srec") ? oak_srec_write(image, 0, &sink)
                                                      : oak_hex_write(image, 0, &sink);
    if (status == OAK_OUT_OF_RANGE) {
        cli_complain(r->t.self, "too-large", r->path, "Write it as .hex, which knows holes.",
                     "from the first to the last byte that would be more than 64 MiB");
        return EXIT_REFUSED;
    }
    if (status) return cli_failed(r->t.self, status, r->path);
    if (!cli_write_file(r->t.self, r->path, &r->text)) return EXIT_REFUSED;
    r->bytes = oak_image_count(image);
    printf("received %s: %s bytes\n", r->path, cli_count(r->bytes, count, sizeof count));
    return EXIT_DONE;
}

/* The bytes of one image where another one says something, as a program without names: then only bytes can differ. */
static oak_status take_bytes(cli *self, const oak_part *part, const oak_image *where, const oak_image *from,
                             oak_program **program)
{
    oak_status status = oak_program_create(&self->host, part, program);
    uint64_t next = 0, length;
    uint32_t address;
    while (!status && next <= UINT32_MAX && !oak_image_next_run(where, (uint32_t)next, &address, &length)) {
        next = address + length;
        for (uint64_t at = address; !status && at < next; at++) {
            uint8_t byte;
            if (oak_image_byte(from, (uint32_t)at, &byte))
                status = oak_image_write(oak_program_image(*program), (uint32_t)at, &byte, 1);
        }
    }
    return status ? status : oak_program_finish(*program);
}

/* How many bytes differ, and where the first one lies. */
static uint64_t count_differences(const oak_image *wanted, const oak_image *found, uint32_t *first)
{
    uint64_t next = 0, length, count = 0;
    uint32_t address;
    while (next <= UINT32_MAX && !oak_image_next_run(wanted, (uint32_t)next, &address, &length)) {
        next = address + length;
        for (uint64_t at = address; at < next; at++) {
            uint8_t is, should;
            if (oak_image_byte(wanted, (uint32_t)at, &should) && oak_image_byte(found, (uint32_t)at, &is) &&
                is == should)
                continue;
            if (!count++) *first = (uint32_t)at;
        }
    }
    return count;
}

/* As many lines as somebody reads. */
static void print_some(const cli_text *text)
{
    enum { SOME = 60 };
    unsigned lines = 0, more = 0;
    for (size_t i = 0; i < text->size; i++) {
        if (lines < SOME) putchar(text->bytes[i]);
        if (text->bytes[i] != '\n') continue;
        if (lines < SOME) lines++;
        else more++;
    }
    if (more) printf("... %u more lines\n", more);
}

/* What the chip holds where the image says something, beside the image: differences as instructions. */
static int compare(receiving *r, const oak_image *image)
{
    cli *self = r->t.self;
    int exit_code = EXIT_DONE;
    const char *paths[] = {r->verify, NULL};
    oak_asm_settings settings = {.paths = paths, .path_count = 1};
    oak_program *wanted =
                    cli_load_program(self, r->part, &settings, r->symbols, (uint32_t)r->base, &exit_code),
                *before = NULL, *after = NULL;
    uint32_t first = 0;
    if (!wanted) return exit_code;
    const oak_image *should = oak_program_image(wanted);
    uint64_t differs = count_differences(should, image, &first);
    printf("- %s\n+ the chip\n\n", r->verify);
    if (!differs) puts("the same bytes");
    else {
        cli_text text = {0};
        oak_text_sink sink = cli_text_sink(&text);
        oak_comparison found;
        char place[200], count[40];
        oak_status status = take_bytes(self, r->part, should, should, &before);
        if (!status) status = take_bytes(self, r->part, should, image, &after);
        if (!status) status = oak_look_compare(before, after, &sink, &found);
        exit_code = status ? cli_failed(self, status, r->verify) : EXIT_EXPECTATION;
        print_some(&text);
        talking_place(wanted, first, place, sizeof place);
        printf("\n%s byte%s differ%s, the first at 0x%04x%s%s%s\n", cli_count(differs, count, sizeof count),
               differs == 1 ? "" : "s", differs == 1 ? "s" : "", (unsigned)first, *place ? " (" : "", place,
               *place ? ")" : "");
        free(text.bytes);
    }
    oak_program_free(before);
    oak_program_free(after);
    oak_program_free(wanted);
    return exit_code;
}

/* Who is at the other end, and what is in the socket. */
static int tell_about(receiving *r)
{
    static const struct {
        unsigned can;
        const char *what;
    } abilities[] = {{OAK_CAN_ERASE, "erase"},
                     {OAK_CAN_CHECK, "compare"},
                     {OAK_CAN_LOCK, "lock"},
                     {OAK_CAN_RUN, "run"},
                     {OAK_CAN_RESET, "stand still"}};
    oak_chip_job job = {0};
    char size[40];
    oak_status status = oak_peg.greet(&r->t.talk, &job.found);
    if (status) return talking_ends(&r->t, status);
    talking_clear(&r->t);
    printf("%s%s; the programmer can read, write", talking_chip(&job), job.found.locked ? ", locked" : "");
    for (size_t i = 0; i < sizeof abilities / sizeof *abilities; i++)
        if (job.found.can & abilities[i].can) printf(", %s", abilities[i].what);
    puts("");
    cJSON *list = cJSON_CreateArray();
    for (unsigned i = 0; i < job.found.region_count; i++) {
        const oak_chip_region *one = &job.found.regions[i];
        printf("  %-15s 0x%04x, %s bytes in pages of %u", one->name, (unsigned)one->base,
               cli_count(one->size, size, sizeof size), (unsigned)one->page);
        if (one->erased) printf(", %u erased at once\n", (unsigned)one->erased);
        else puts(", written without erasing");
        cJSON *entry = cJSON_CreateObject();
        cJSON_AddStringToObject(entry, "name", one->name);
        cJSON_AddNumberToObject(entry, "at", one->base);
        cJSON_AddNumberToObject(entry, "bytes", one->size);
        cJSON_AddNumberToObject(entry, "page", one->page);
        cJSON_AddNumberToObject(entry, "erased", one->erased);
        cJSON_AddItemToArray(list, entry);
    }
    r->part_found = cJSON_CreateString(job.found.part);
    r->regions = list;
    return EXIT_DONE;
}

static int look_blank(receiving *r)
{
    oak_chip_job job = {.conversation = &oak_peg, .part = r->part ? r->part->name : NULL};
    char message[120];
    oak_status status = oak_chip_blank(&r->t.talk, &job);
    if (status && !job.difference_count) return talking_ends(&r->t, status);
    talking_clear(&r->t);
    if (!status) {
        printf("%s is blank\n", talking_chip(&job));
        return EXIT_DONE;
    }
    snprintf(message, sizeof message, "%llu byte%s not blank, the first at 0x%04x",
             (unsigned long long)job.difference_count, job.difference_count == 1 ? " is" : "s are",
             (unsigned)job.differences[0].address);
    cli_complain(r->t.self, "not-blank", r->t.device, "`spindle send --erase` erases it.", message);
    return EXIT_EXPECTATION;
}

static int read_chip(receiving *r)
{
    cli *self = r->t.self;
    oak_chip_job job = {.conversation = &oak_peg, .part = r->part ? r->part->name : NULL};
    oak_image *image;
    oak_status status = oak_image_create(&self->host, &image);
    int exit_code = EXIT_DONE;
    if (status) return cli_failed(self, status, r->t.device);
    do status = oak_chip_receive(&r->t.talk, &job, image);
    while (status == OAK_IO_ERROR && talking_again(&r->t));
    exit_code = talking_ends(&r->t, status);
    if (!exit_code && r->verify && !r->part)
        r->part = cli_load_part(self, r->t.of, job.found.part, &exit_code);
    if (!exit_code && r->path) exit_code = write_image(r, image);
    if (!exit_code && r->verify) exit_code = compare(r, image);
    oak_image_free(image);
    return exit_code;
}

static int receive(receiving *r, const char **words)
{
    cli *self = r->t.self;
    struct stat about;
    int exit_code = EXIT_DONE;
    bool chip = r->verify || r->blank || r->about;
    r->path = words[0];
    if (words[0] && words[1]) return cli_usage(self, r->t.of, NULL, "one file is enough");
    if (!r->path && !chip) return cli_usage(self, r->t.of, NULL, "no file is named to receive into");
    if (chip && r->t.way == TALK_ANY) r->t.way = TALK_PEG;
    if (chip && r->t.way != TALK_PEG)
        return cli_usage(self, r->t.of, "`--protocol peg` has it.",
                         "--verify, --blank and --about need a programmer's conversation");
    if (r->t.part && !(r->part = cli_load_part(self, r->t.of, r->t.part, &exit_code))) return exit_code;
    if (r->path && !cli_may_write(self, r->path)) return EXIT_REFUSED;
    r->folder = r->path && stat(r->path, &about) == 0 && S_ISDIR(about.st_mode);
    r->files = cJSON_CreateArray();
    exit_code = talking_open(&r->t, true);
    if (!exit_code)
        exit_code = r->about               ? tell_about(r)
                    : r->blank             ? look_blank(r)
                    : r->t.way == TALK_PEG ? read_chip(r)
                                           : receive_file(r);
    talking_close(&r->t);
    if (self->json) {
        cJSON *document = cJSON_CreateObject();
        cJSON_AddStringToObject(document, "line", r->t.device);
        cJSON_AddStringToObject(document, "protocol", talking_way_name(r->t.way));
        if (r->bytes) cJSON_AddNumberToObject(document, "bytes", (double)r->bytes);
        cJSON_AddItemToObject(document, "files", r->files);
        if (r->regions) {
            cJSON_AddItemToObject(document, "part", r->part_found);
            cJSON_AddItemToObject(document, "regions", r->regions);
        }
        cli_print_json(self, document);
    } else {
        cJSON_Delete(r->files);
        cJSON_Delete(r->part_found);
        cJSON_Delete(r->regions);
    }
    return exit_code;
}

static int run(cli *self, int argc, const char **argv)
{
    receiving r = {0};
    char *clock = NULL;
    const struct poptOption table[] = {TALKING_OPTIONS(&r.t),
                                       {"verify", 0, POPT_ARG_STRING, &r.verify, 0, NULL, NULL},
                                       {"symbols", 's', POPT_ARG_STRING, &r.symbols, 0, NULL, NULL},
                                       {"size", 0, POPT_ARG_LONGLONG, &r.size, 0, NULL, NULL},
                                       {"base", 0, POPT_ARG_LONGLONG, &r.base, 0, NULL, NULL},
                                       {"blank", 0, POPT_ARG_NONE, &r.blank, 0, NULL, NULL},
                                       {"about", 0, POPT_ARG_NONE, &r.about, 0, NULL, NULL},
                                       {"json", 0, POPT_ARG_NONE, &r.json, 0, NULL, NULL},
                                       POPT_TABLEEND};
    poptContext context;
    bool done;
    int exit_code = EXIT_USAGE;
    const char **words = cli_options(self, &command_receive, argc, argv, table, &context, &done);
    if (!words) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (!cli_check_base(self, &command_receive, (const char *[]){r.verify ? r.verify : "", NULL},
                             r.base))
        exit_code = EXIT_USAGE;
    else if (r.size < 0) exit_code = cli_usage(self, &command_receive, NULL, "--size is a number of bytes");
    else if ((exit_code = talking_begin(&r.t, self, &command_receive, argc, argv)) == EXIT_DONE) {
        int found = r.verify ? cli_take_part(self, &r.t.part, &clock) : -1;
        exit_code = found > 0 ? found : receive(&r, words);
    }
    if (context) poptFreeContext(context);
    if (r.part) oak_part_free(r.part);
    talking_free(&r.t);
    free(r.text.bytes);
    free(r.verify), free(r.symbols), free(clock);
    return exit_code;
}

const command command_receive = {
    "receive",
    "receive a file over a serial line, or read a chip back",
    "usage: spindle receive FILE --line DEVICE [options]\n"
    "       spindle receive --verify IMAGE --line DEVICE\n"
    "\n"
    "Takes what the other end sends, by XMODEM or YMODEM (then FILE may be a folder for\n"
    "several), or reads the chip of a programmer that speaks pegs: as .hex, .srec or .bin.\n"
    "\n" TALKING_HELP "      --size N         of XMODEM: so many bytes, without what fills the last packet\n"
    "\n"
    "with a programmer:\n"
    "      --verify IMAGE   compare: differences are shown as instructions; exit code 4\n"
    "      --base ADDRESS   where a raw IMAGE (.bin) begins; 0 when not given\n"
    "      --blank          look whether the chip is blank; exit code 4 when it is not\n"
    "      --about          tell who is there: the part, its regions, what can be asked\n"
    "  -p, --part PART      what has to be in the socket\n"
    "  -s, --symbols F      labels for IMAGE, from `spindle asm --symbols F`\n"
    "      --json           print everything as one JSON document\n"
    "\n"
    "examples:\n"
    "  spindle receive back.hex --line /dev/ttyUSB0\n"
    "  spindle receive --verify lathe.hex --line /dev/ttyUSB0 --protocol peg\n"
    "  spindle receive log.txt --line /dev/ttyS0 --protocol xmodem-crc --say 'R'\n",
    run,
};
