/* coverage.c — which lines of a program have run in any case of any trial: counted in every process, added up in memory they share. */
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>

#include "trial_run.h"

/* A line begins where the bytes before it belong to another one. What is data is no line that could run. */
static size_t find_lines(const trial_file *file, trial_line *lines)
{
    const oak_program *program = file->program;
    size_t count = 0, next = 0;
    uint32_t data = 0, size = 0, end = 0, number = 0;
    const char *source = NULL;
    oak_line line;
    bool more = oak_program_next_data(program, &next, &data, &size) == OAK_OK;
    for (unsigned i = 0; oak_program_line(program, i, &line) == OAK_OK; i++) {
        if (!line.size) continue;
        while (more && data + size <= line.address)
            more = oak_program_next_data(program, &next, &data, &size) == OAK_OK;
        if (more && line.address >= data && line.address < data + size) continue;
        bool same = source == line.file && number == line.line && line.address == end;
        source = line.file, number = line.line, end = line.address + line.size;
        if (same) continue;
        if (lines)
            lines[count].file = line.file, lines[count].line = line.line, lines[count].address = line.address;
        count++;
    }
    return count;
}

bool trial_open_lines(cli *self, trial_file *file)
{
    size_t room = find_lines(file, NULL);
    void *lines = mmap(NULL, (room ? room : 1) * sizeof *file->lines, PROT_READ | PROT_WRITE,
                       MAP_SHARED | MAP_ANONYMOUS, -1, 0);
    if (lines == MAP_FAILED) return cli_failed(self, OAK_NO_MEMORY, file->path) == EXIT_DONE;
    file->lines = lines;
    file->line_count = find_lines(file, file->lines);
    return true;
}

void trial_close_lines(trial_file *file)
{
    if (file->lines) munmap(file->lines, (file->line_count ? file->line_count : 1) * sizeof *file->lines);
    file->lines = NULL;
}

void trial_count_lines(const trial_file *file)
{
    oak_tally tally;
    for (size_t i = 0; i < file->line_count; i++)
        if (!oak_session_counted(file->session, file->lines[i].address, &tally))
            atomic_fetch_add(&file->lines[i].times, tally.times);
}

/* ------------------------------------------------------------------------------------------ documents */

static cJSON *named(cJSON *object, const char *name)
{
    cJSON *one = cJSON_GetObjectItemCaseSensitive(object, name);
    return one ? one : cJSON_AddObjectToObject(object, name);
}

static void add_times(cJSON *source, const char *line, double times)
{
    cJSON *had = cJSON_GetObjectItemCaseSensitive(source, line);
    if (had) cJSON_SetNumberValue(had, had->valuedouble + times);
    else cJSON_AddNumberToObject(source, line, times);
}

void trial_add_lines(cJSON *into, const cJSON *from)
{
    const cJSON *source, *line;
    cJSON_ArrayForEach(source, from)
    {
        cJSON *mine = named(into, source->string);
        cJSON_ArrayForEach(line, source) add_times(mine, line->string, line->valuedouble);
    }
}

cJSON *trial_lines_json(const trial_file *file)
{
    cJSON *all = cJSON_CreateObject();
    for (size_t i = 0; i < file->line_count; i++) {
        char number[20];
        const trial_line *line = &file->lines[i];
        snprintf(number, sizeof number, "%u", (unsigned)line->line);
        add_times(named(all, line->file), number, (double)line->times);
    }
    return all;
}

static void write_row(const oak_text_sink *out, const char *format, const char *text, double number)
{
    char row[600];
    int length = snprintf(row, sizeof row, format, text, number);
    (void)!out->write(out->context, row, (size_t)length);
}

bool trial_write_lines(cli *self, const char *path, const cJSON *programs)
{
    cli_text text = {0};
    oak_text_sink out = cli_text_sink(&text);
    const cJSON *source, *line;
    cJSON_ArrayForEach(source, programs)
    {
        double found = 0, hit = 0;
        write_row(&out, "TN:\nSF:%.500s\n", source->string, 0);
        cJSON_ArrayForEach(line, source)
        {
            write_row(&out, "DA:%s,%.0f\n", line->string, line->valuedouble);
            found++;
            hit += line->valuedouble > 0;
        }
        write_row(&out, "%s:%.0f\n", "LF", found);
        write_row(&out, "%s:%.0f\nend_of_record\n", "LH", hit);
    }
    bool good = cli_write_file(self, path, &text);
    free(text.bytes);
    return good;
}

void trial_print_lines(const cJSON *programs)
{
    enum { MOST = 12 };
    const cJSON *source, *line;
    cJSON_ArrayForEach(source, programs)
    {
        unsigned found = 0, hit = 0, told = 0;
        cJSON_ArrayForEach(line, source) found++, hit += line->valuedouble > 0;
        printf("%s: %u of %u lines have run (%.1f %%)", source->string, hit, found,
               found ? 100.0 * hit / found : 100.0);
        for (line = source->child; line && told <= MOST;) { /* stretches of lines that have not */
            const cJSON *first = line, *last = line;
            if (line->valuedouble > 0) {
                line = line->next;
                continue;
            }
            for (; line && !(line->valuedouble > 0); line = line->next) last = line;
            if (told++ == MOST) printf(", …");
            else printf("%s %s", told > 1 ? "," : "; never:", first->string);
            if (last != first && told <= MOST) printf("-%s", last->string);
        }
        putchar('\n');
    }
}
