/* cmd_send.c — `spindle send`: an image over a line, as a file (XMODEM, YMODEM) or into a chip by a programmer's conversation. */
#include <popt.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "talking.h"

typedef struct sending {
    talking t;
    char *as, *symbols, *clock;
    char **includes, **warns;
    long long base;
    int erase, verify, lock, run, json;
    oak_part *part;
    oak_program *program;
} sending;

enum { LARGEST_FILE = 256 << 20 };

static const char *file_name(const char *path)
{
    const char *slash = strrchr(path, '/');
    return slash ? slash + 1 : path;
}

static bool is_source(const char *path)
{
    const char *point = strrchr(path, '.');
    return point && (strcmp(point, ".asm") == 0 || strcmp(point, ".s") == 0 || strcmp(point, ".inc") == 0);
}

static int load(sending *s, const char **files)
{
    oak_asm_settings settings;
    oak_warning warnings[CLI_MOST_WARNINGS];
    int exit_code = EXIT_USAGE;
    if (!cli_settings(s->t.self, s->t.of, files, s->includes, s->warns, warnings, &settings))
        return exit_code;
    s->program = cli_load_program(s->t.self, s->part, &settings, s->symbols, (uint32_t)s->base, &exit_code);
    return s->program ? EXIT_DONE : exit_code;
}

/* ------------------------------------------------------------------------------------------ as a file */

/* The bytes that go: those of the file, or of its image in another form. */
static int make_file(sending *s, const char **files, cli_text *text, char *name, size_t room)
{
    cli *self = s->t.self;
    const char *as = s->as ? s->as : is_source(files[0]) || files[1] ? "hex" : "file";
    oak_text_sink sink = cli_text_sink(text);
    uint32_t base;
    snprintf(name, room, "%s", file_name(files[0]));
    if (strcmp(as, "file") == 0) {
        uint8_t *bytes = NULL;
        size_t size = 0;
        oak_status status = self->host.read_file(self->host.context, files[0], LARGEST_FILE, &bytes, &size);
        if (status == OAK_NOT_FOUND) cli_complain(self, "no-file", files[0], NULL, "there is no such file");
        if (status) return status == OAK_NOT_FOUND ? EXIT_REFUSED : cli_failed(self, status, files[0]);
        if (size) sink.write(sink.context, (const char *)bytes, size);
        if (bytes) self->host.resize(self->host.context, bytes, size, 0);
        return text->failed ? EXIT_REFUSED : EXIT_DONE;
    }
    if (!s->part)
        return cli_usage(self, s->t.of, NULL, "the part is missing: --part NAME says what `%s` is for",
                         files[0]);
    int exit_code = load(s, files);
    if (exit_code) return exit_code;
    const oak_image *image = oak_program_image(s->program);
    oak_status status = strcmp(as, "hex") == 0    ? oak_hex_write(image, 0, &sink)
                        : strcmp(as, "srec") == 0 ? oak_srec_write(image, 0, &sink)
                                                  : oak_raw_write(image, 0xFF, LARGEST_FILE, &sink, &base);
    char *point = strrchr(name, '.');
    if (point) snprintf(point, room - (size_t)(point - name), ".%s", strcmp(as, "raw") == 0 ? "bin" : as);
    return cli_failed(self, status, files[0]);
}

static int send_file(sending *s, const char **files)
{
    cli *self = s->t.self;
    cli_text text = {0};
    char name[200], count[40];
    struct stat about;
    int exit_code = make_file(s, files, &text, name, sizeof name);
    if (!exit_code) {
        oak_file file = {.name = name,
                         .bytes = (const uint8_t *)text.bytes,
                         .size = text.size,
                         .modified = stat(files[0], &about) ? 0 : (uint64_t)about.st_mtime};
        s->t.doing = NULL;
        oak_status status = oak_file_send(&s->t.talk, talking_file_way(s->t.way), &file, 1);
        if (!status && s->t.confirm) status = talking_await(&s->t, s->t.confirm);
        exit_code = talking_ends(&s->t, status);
        if (!exit_code)
            printf("sent %s by %s: %s bytes%s\n", name, talking_way_name(s->t.way),
                   cli_count(text.size, count, sizeof count),
                   s->t.talk.progress.again ? ", some packets more than once" : "");
    }
    if (!exit_code && self->json) {
        cJSON *document = cJSON_CreateObject();
        cJSON_AddStringToObject(document, "line", s->t.device);
        cJSON_AddStringToObject(document, "protocol", talking_way_name(s->t.way));
        cJSON_AddStringToObject(document, "file", name);
        cJSON_AddNumberToObject(document, "bytes", (double)text.size);
        cJSON_AddNumberToObject(document, "again", s->t.talk.progress.again);
        cli_print_json(self, document);
    }
    free(text.bytes);
    return exit_code;
}

/* ------------------------------------------------------------------------------------------ into a chip */

/* What is not as it should be, each bit named. */
static void tell_differences(sending *s, const oak_chip_job *job, cJSON *list)
{
    unsigned shown =
        job->difference_count < OAK_MOST_DIFFERENCES ? (unsigned)job->difference_count : OAK_MOST_DIFFERENCES;
    for (unsigned i = 0; i < shown; i++) {
        const oak_chip_difference *one = &job->differences[i];
        char place[200] = "", message[400], bits[60] = "";
        uint8_t off = one->wanted ^ one->found;
        if (s->program) talking_place(s->program, one->address, place, sizeof place);
        for (unsigned bit = 0; bit < 8; bit++)
            if (off >> bit & 1)
                snprintf(bits + strlen(bits), sizeof bits - strlen(bits), "%s%u", *bits ? ", " : "", bit);
        snprintf(message, sizeof message,
                 "0x%04x%s%s%s: 0x%02x is wanted, and 0x%02x is there: bit%s %s stay%s %s",
                 (unsigned)one->address, *place ? " (" : "", place, *place ? ")" : "", one->wanted,
                 one->found, strchr(bits, ',') ? "s" : "", bits, strchr(bits, ',') ? "" : "s",
                 (one->found & off) == off ? "1"
                 : !(one->found & off)     ? "0"
                                           : "wrong");
        cli_complain(s->t.self, "chip-differs", NULL, NULL, message);
        cJSON *entry = cJSON_CreateObject();
        cJSON_AddNumberToObject(entry, "address", one->address);
        cJSON_AddNumberToObject(entry, "wanted", one->wanted);
        cJSON_AddNumberToObject(entry, "found", one->found);
        if (*place) cJSON_AddStringToObject(entry, "place", place);
        cJSON_AddItemToArray(list, entry);
    }
    if (job->difference_count > shown) {
        char message[100];
        snprintf(message, sizeof message, "%llu more bytes differ",
                 (unsigned long long)(job->difference_count - shown));
        cli_complain(s->t.self, "chip-differs", NULL, NULL, message);
    }
}

static void tell_chip(sending *s, const oak_chip_job *job, cJSON *list, bool good)
{
    cli *self = s->t.self;
    char bytes[40], same[40];
    if (good && !job->image) printf("erased %s at %s\n", talking_chip(job), s->t.device);
    else if (good && s->verify)
        printf("verified: %s bytes in %s\n", cli_count(job->bytes, bytes, sizeof bytes), talking_chip(job));
    else if (good)
        printf("sent: %s bytes in %s\n  %s right already, %u page%s written, %u unit%s erased; all "
               "verified%s%s\n",
               cli_count(job->bytes, bytes, sizeof bytes), talking_chip(job),
               cli_count(job->same, same, sizeof same), job->pages, job->pages == 1 ? "" : "s", job->erased,
               job->erased == 1 ? "" : "s", s->lock ? ", and locked" : "", s->run ? "; it runs" : "");
    if (good && s->t.talk.progress.again)
        printf("  %u packets went more than once\n", s->t.talk.progress.again);
    if (!self->json) {
        cJSON_Delete(list);
        return;
    }
    cJSON *document = cJSON_CreateObject();
    cJSON_AddStringToObject(document, "line", s->t.device);
    cJSON_AddStringToObject(document, "protocol", talking_way_name(s->t.way));
    cJSON_AddStringToObject(document, "part", job->found.part);
    cJSON_AddNumberToObject(document, "bytes", (double)job->bytes);
    cJSON_AddNumberToObject(document, "same", (double)job->same);
    cJSON_AddNumberToObject(document, "pages", job->pages);
    cJSON_AddNumberToObject(document, "erased", job->erased);
    cJSON_AddNumberToObject(document, "again", s->t.talk.progress.again);
    cJSON_AddItemToObject(document, "differences", list);
    cli_print_json(self, document);
}

static int send_to_chip(sending *s, const char **files)
{
    cli *self = s->t.self;
    oak_chip_job job = {.conversation = &oak_peg,
                        .part = s->part ? s->part->name : NULL,
                        .erases_all = s->erase,
                        .verifies_only = s->verify,
                        .locks = s->lock,
                        .runs = s->run};
    oak_status status = OAK_OK;
    int exit_code = EXIT_DONE;
    if (files[0] && !s->part) { /* the programmer says what it is for */
        oak_chip_found found;
        status = oak_peg.greet(&s->t.talk, &found);
        if (status) return talking_ends(&s->t, status);
        if (!*found.part)
            return cli_usage(self, s->t.of, NULL,
                             "the programmer does not know the part: --part NAME says it");
        s->part = cli_load_part(self, s->t.of, found.part, &exit_code);
        if (!s->part) return exit_code;
    }
    if (files[0] && !s->program && (exit_code = load(s, files))) return exit_code;
    job.image = s->program ? oak_program_image(s->program) : NULL;
    do {
        s->t.talk.why[0] = 0;
        status = job.image ? oak_chip_send(&s->t.talk, &job) : oak_chip_erase(&s->t.talk, &job);
        job.erases_all = job.erases_all && status == OAK_IO_ERROR && !job.pages;
    } while (status == OAK_IO_ERROR && talking_again(&s->t));
    talking_clear(&s->t);
    cJSON *list = cJSON_CreateArray();
    if (job.difference_count) tell_differences(s, &job, list);
    exit_code = talking_ends(&s->t, status);
    if (status && job.difference_count) exit_code = s->verify ? EXIT_EXPECTATION : EXIT_REFUSED;
    tell_chip(s, &job, list, !exit_code);
    return exit_code;
}

static int send_all(sending *s, const char **files)
{
    cli *self = s->t.self;
    int exit_code = EXIT_DONE;
    static const char *const forms[] = {"file", "hex", "srec", "raw", NULL};
    bool known = !s->as, chip = s->erase || s->verify || s->lock || s->run;
    for (unsigned i = 0; s->as && forms[i]; i++) known |= strcmp(forms[i], s->as) == 0;
    if (!known)
        return cli_usage(self, s->t.of, "There are: file, hex, srec, raw.", "--as: there is no `%s`", s->as);
    if (!files[0] && !s->erase) return cli_usage(self, s->t.of, NULL, "no image is given");
    if (chip && s->t.way == TALK_ANY) s->t.way = TALK_PEG;
    if (chip && s->t.way != TALK_PEG)
        return cli_usage(self, s->t.of, "`--protocol peg` has it.",
                         "--erase, --verify, --lock and --run need a programmer's conversation");
    if (s->t.part && !(s->part = cli_load_part(self, s->t.of, s->t.part, &exit_code))) return exit_code;
    if (files[0] && is_source(files[0]) && !s->part)
        return cli_usage(self, s->t.of, NULL, "the part is missing: --part NAME says what `%s` is for",
                         files[0]);
    if (files[0] && s->part && (s->t.way == TALK_PEG || is_source(files[0])) && (exit_code = load(s, files)))
        return exit_code; /* what is wrong with it is told before anything goes over the line */
    oak_program *early = s->program;
    exit_code = talking_open(&s->t, false);
    if (!exit_code && s->t.way == TALK_PEG) exit_code = send_to_chip(s, files);
    else if (!exit_code) {
        s->program = NULL;
        exit_code = send_file(s, files);
        oak_program_free(early);
    }
    talking_close(&s->t);
    return exit_code;
}

static int run(cli *self, int argc, const char **argv)
{
    sending s = {0};
    cli_project project = {0};
    const char **files, **own = NULL;
    const struct poptOption table[] = {TALKING_OPTIONS(&s.t),
                                       {"as", 0, POPT_ARG_STRING, &s.as, 0, NULL, NULL},
                                       {"confirm", 0, POPT_ARG_STRING, &s.t.confirm, 0, NULL, NULL},
                                       {"symbols", 's', POPT_ARG_STRING, &s.symbols, 0, NULL, NULL},
                                       {"base", 0, POPT_ARG_LONGLONG, &s.base, 0, NULL, NULL},
                                       {"include", 'I', POPT_ARG_ARGV, &s.includes, 0, NULL, NULL},
                                       {"warn", 'w', POPT_ARG_ARGV, &s.warns, 0, NULL, NULL},
                                       {"erase", 0, POPT_ARG_NONE, &s.erase, 0, NULL, NULL},
                                       {"verify", 0, POPT_ARG_NONE, &s.verify, 0, NULL, NULL},
                                       {"lock", 0, POPT_ARG_NONE, &s.lock, 0, NULL, NULL},
                                       {"run", 0, POPT_ARG_NONE, &s.run, 0, NULL, NULL},
                                       {"json", 0, POPT_ARG_NONE, &s.json, 0, NULL, NULL},
                                       POPT_TABLEEND};
    poptContext context;
    bool done;
    int exit_code = EXIT_USAGE;
    files = cli_options(self, &command_send, argc, argv, table, &context, &done);
    if (!files) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (!cli_check_base(self, &command_send, files, s.base)) exit_code = EXIT_USAGE;
    else if ((exit_code = talking_begin(&s.t, self, &command_send, argc, argv)) == EXIT_DONE) {
        int found = files[0] || s.erase
                        ? cli_take_part(self, &s.t.part, &s.clock)
                        : cli_take_project(self, &project, &own, &s.t.part, &s.includes, &s.warns);
        exit_code = found > 0 ? found : send_all(&s, own ? own : files);
    }
    if (context) poptFreeContext(context);
    oak_program_free(s.program);
    if (s.part) oak_part_free(s.part);
    cli_free_project(&project);
    talking_free(&s.t);
    for (unsigned i = 0; s.includes && s.includes[i]; i++) free(s.includes[i]);
    for (unsigned i = 0; s.warns && s.warns[i]; i++) free(s.warns[i]);
    free(s.includes), free(s.warns);
    free(s.as), free(s.symbols), free(s.clock);
    return exit_code;
}

const command command_send = {
    "send",
    "send an image over a serial line, as a file or into a chip",
    "usage: spindle send IMAGE --line DEVICE [options]\n"
    "\n"
    "Sends IMAGE (sources, Intel HEX, S-records or .bin) over a serial line. A programmer that\n"
    "speaks pegs gets it page by page: what is right already stays, what must be is erased,\n"
    "everything is verified. Any other end gets it as a file, by XMODEM or YMODEM. Ctrl-C ends\n"
    "it and leaves the other side well; the same call goes on where a lost one ended.\n"
    "\n" TALKING_HELP
    "      --as FORM        of a file: file (as it is), hex, srec or raw; sources go as hex\n"
    "      --confirm TEXT   of a file: in the end the other end must say so\n"
    "\n"
    "with a programmer:\n"
    "  -p, --part PART      what has to be in the socket; labels in messages come with it\n"
    "  -s, --symbols F      labels and lines for an image, from `spindle asm --symbols F`\n"
    "      --base ADDRESS   where a raw binary (.bin) begins; 0 when not given\n"
    "      --erase          erase all of the chip first (also opens a locked one); alone: only that\n"
    "      --verify         write nothing, only compare; exit code 4 when it differs\n"
    "      --lock           lock the chip in the end: nobody reads it any more\n"
    "      --run            let it run in the end\n"
    "  -I, --include FOLDER where included files are looked for, too; repeat for more\n"
    "  -w, --warn CODE=LEVEL  off, on or error; repeat\n"
    "      --json           print everything as one JSON document\n"
    "\n"
    "examples:\n"
    "  spindle send lathe.hex --line /dev/ttyUSB0\n"
    "  spindle send lathe.asm --part mcs51-8k --line /dev/ttyUSB0 --protocol peg --run\n"
    "  spindle send lathe.hex --line /dev/ttyS0 --await ready --say P --protocol xmodem-1k \\\n"
    "      --confirm good\n",
    run,
};
