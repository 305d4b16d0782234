/* load.c — a program from whatever file it is in: source, Intel HEX, S-records, raw binary. */
#include <stdlib.h>
#include <string.h>

#include "cli.h"

void cli_complain(cli *self, const char *code, const char *file, const char *hint, const char *message)
{
    oak_diagnostic d = {.severity = OAK_ERROR, .code = code, .file = file, .message = message, .hint = hint};
    self->sink.report(self->sink.context, &d);
}

void cli_remark(cli *self, const char *code, const char *file, const char *hint, const char *message)
{
    oak_diagnostic d = {
        .severity = OAK_WARNING, .code = code, .file = file, .message = message, .hint = hint};
    self->sink.report(self->sink.context, &d);
}

typedef enum kind { KIND_SOURCE, KIND_HEX, KIND_SREC, KIND_RAW } kind;

static bool ends_with(const char *path, const char *ending)
{
    size_t length = strlen(path), size = strlen(ending);
    return length > size && strcmp(path + length - size, ending) == 0;
}

/* By the ending of the name, and else by how the text begins. */
static kind kind_of(const char *path, const uint8_t *bytes, size_t size)
{
    if (ends_with(path, ".bin")) return KIND_RAW;
    if (ends_with(path, ".hex")) return KIND_HEX;
    if (ends_with(path, ".srec")) return KIND_SREC;
    size_t at = 0;
    while (at < size && strchr(" \r\n\t", bytes[at]) && bytes[at]) at++;
    if (at < size && bytes[at] == ':') return KIND_HEX;
    bool srec = at + 9 < size && bytes[at] == 'S' && bytes[at + 1] >= '0' && bytes[at + 1] <= '9';
    for (size_t i = 2; srec && i < 10; i++)
        srec = strchr("0123456789ABCDEF", bytes[at + i]) != NULL && bytes[at + i];
    return srec ? KIND_SREC : KIND_SOURCE;
}

static oak_status read_image(cli *self, kind of, const char *path, const uint8_t *bytes, size_t size,
                             uint32_t base, oak_program *program)
{
    const char *text = bytes ? (const char *)bytes : "";
    if (of == KIND_HEX) return oak_hex_read(oak_program_image(program), text, size, path, &self->sink);
    if (of == KIND_SREC) return oak_srec_read(oak_program_image(program), text, size, path, &self->sink);
    return oak_image_write(oak_program_image(program), base, text, size);
}

bool cli_check_base(cli *self, const command *of, const char *const *paths, long long base)
{
    bool raw = false;
    for (; *paths; paths++) raw = raw || ends_with(*paths, ".bin");
    if (base < 0 || base > UINT32_MAX) cli_usage(self, of, NULL, "a base is an address from 0 to 0xffffffff");
    else if (base && !raw)
        cli_usage(self, of,
                  "A source says where its code lies with `org`; records of an image say it themselves.",
                  "--base is for raw bytes, as in a .bin file");
    else return true;
    return false;
}

oak_program *cli_load_program(cli *self, const oak_part *part, const oak_asm_settings *settings,
                              const char *symbols, uint32_t base, int *exit_code)
{
    const char *const *paths = settings->paths;
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_program *program = NULL;
    oak_status status = self->host.read_file(self->host.context, paths[0], 256u << 20, &bytes, &size);
    if (status) {
        cli_complain(self, "no-file", paths[0],
                     "A program is a source file, an Intel HEX file, S-records or a .bin file.",
                     status == OAK_NOT_FOUND      ? "there is no such file"
                     : status == OAK_OUT_OF_RANGE ? "the file is larger than 256 MiB"
                                                  : oak_status_text(status));
    } else {
        kind of = kind_of(paths[0], bytes, size);
        if (of == KIND_SOURCE) {
            if (symbols)
                cli_remark(self, "usage", symbols, "It is for an image.",
                           "a source has its own symbols: this file is not read");
            status = oak_assemble_files(&self->host, part, settings, &self->sink, &program);
        } else if (settings->path_count > 1) {
            cli_complain(self, "usage", paths[1], "Several files make one program only as source.",
                         "an image stands alone");
            status = OAK_REFUSED;
        } else {
            status = oak_program_create(&self->host, part, &program);
            if (!status) status = read_image(self, of, paths[0], bytes, size, base, program);
            if (!status && symbols && !cli_read_symbols(self, symbols, program)) status = OAK_REFUSED;
            if (!status) status = oak_program_finish(program);
        }
    }
    if (bytes) self->host.resize(self->host.context, bytes, size, 0);
    *exit_code = cli_failed(self, status, paths[0]);
    if (!status) return program;
    oak_program_free(program);
    return NULL;
}

unsigned cli_count_list(char *const *list)
{
    unsigned count = 0;
    while (list && list[count]) count++;
    return count;
}

static bool cli_read_warnings(cli *self, const command *of, char **options, oak_warning *warnings,
                              unsigned *count)
{
    static const char *const levels[] = {"off", "on", "error"};
    for (; options && *options; options++) {
        char *equals = strchr(*options, '=');
        int level = -1;
        const char *code = NULL, *known;
        oak_warning_level usual;
        for (int i = 0; equals && i < 3; i++)
            if (strcmp(equals + 1, levels[i]) == 0) level = i;
        size_t length = equals ? (size_t)(equals - *options) : 0;
        for (unsigned i = 0; (known = oak_warning_at(i, &usual)); i++)
            if (strlen(known) == length && strncmp(known, *options, length) == 0) code = known;
        if (!code || level < 0 || *count == CLI_MOST_WARNINGS) {
            char all[400] = "Write --warn CODE=off, on or error. Codes:";
            for (unsigned i = 0; (known = oak_warning_at(i, &usual)); i++)
                snprintf(all + strlen(all), sizeof all - strlen(all), "%s %s", i ? "," : "", known);
            cli_usage(self, of, all, "`%s` sets no warning", *options);
            return false;
        }
        warnings[(*count)++] = (oak_warning){code, (oak_warning_level)level};
    }
    return true;
}

bool cli_settings(cli *self, const command *of, const char *const *files, char **includes, char **warns,
                  oak_warning *warnings, oak_asm_settings *settings)
{
    *settings = (oak_asm_settings){.paths = files,
                                   .include_paths = (const char *const *)includes,
                                   .include_count = cli_count_list(includes),
                                   .warnings = warnings};
    while (files[settings->path_count]) settings->path_count++;
    return cli_read_warnings(self, of, warns, warnings, &settings->warning_count);
}
