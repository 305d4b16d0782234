/* outputs.c — what has become of trials, for other programs: TAP 14, JUnit XML, JSON. */
#include <stdlib.h>
#include <string.h>

#include "trial_run.h"

void trial_place_text(const trial_outcome *one, char *text, size_t room)
{
    oak_line line;
    uint8_t byte;
    char place[120];
    if (!oak_image_byte(oak_program_image(one->file->program), one->result.pc, &byte)) {
        snprintf(text, room, "the end of the call");
        return;
    }
    oak_session_name_place(one->file->session, one->result.pc, place, sizeof place);
    if (oak_program_line_at(one->file->program, one->result.pc, &line) == OAK_OK)
        snprintf(text, room, "%s:%u (%s)", line.file, (unsigned)line.line, place);
    else snprintf(text, room, "%s", place);
}

void trial_time_text(const trial_file *file, uint64_t cycles, char *text, size_t room)
{
    oak_write_time(cycles, oak_session_clock(file->session), file->part->clocks_per_cycle, text, room);
}

void trial_case_words(const trial_outcome *one, uint64_t number, char *text, size_t room)
{
    char values[300];
    oak_trial_case_text(one->file->trials, one->number, number, values, sizeof values);
    if (one->cases > 1 && number >= one->cases)
        snprintf(text, room, "%s", values); /* simpler than a sample's */
    else if (one->cases > 1) snprintf(text, room, "case %llu (%s)", (unsigned long long)number + 1, values);
    else if (room) *text = 0;
}

void trial_bench_command(const trial_outcome *one, char *text, size_t room)
{
    const trial_file *file = one->file;
    const oak_trials_about *about = oak_trials_about_of(file->trials);
    int used = snprintf(text, room, "spindle bench %s --part %s", file->program_path, file->part_name);
    if (about->board && (size_t)used < room)
        used += snprintf(text + used, room - (size_t)used, " --board %s", about->board);
    if (file->clock && (size_t)used < room)
        used += snprintf(text + used, room - (size_t)used, " --clock %s", file->clock);
    char which[40] = "";
    if (one->cases > 1) snprintf(which, sizeof which, "/%llu", (unsigned long long)one->shown + 1);
    if ((size_t)used < room)
        snprintf(text + used, room - (size_t)used, " --given '%s:%s%s' --first 'go %llu cycles'", file->path,
                 one->name, which, (unsigned long long)(one->result.time.cycles - one->result.begun));
}

void trial_print_tap_begin(size_t count)
{
    printf("TAP version 14\n1..%zu\n", count);
}

/* A description: # would begin a directive. */
static void print_tap_text(const char *text)
{
    for (; *text; text++) {
        if (*text == '#' || *text == '\\') putchar('\\');
        putchar(*text == '\n' ? ' ' : *text);
    }
}

static void print_yaml_text(const char *key, const char *text)
{
    printf("  %s: \"", key);
    for (; *text; text++) {
        if (*text == '"' || *text == '\\') putchar('\\');
        putchar(*text == '\n' ? ' ' : *text);
    }
    puts("\"");
}

void trial_print_tap(size_t number, const trial_outcome *one)
{
    bool passed = !one->failed && !one->refused;
    printf("%s %zu - ", passed ? "ok" : "not ok", number);
    print_tap_text(one->name);
    putchar('\n');
    if (passed) return;
    char place[200], time[60], words[400];
    puts("  ---");
    if (one->refused) print_yaml_text("message", "the trial cannot be run");
    else {
        trial_place_text(one, place, sizeof place);
        trial_time_text(one->file, one->result.time.cycles, time, sizeof time);
        trial_case_words(one, one->shown, words, sizeof words);
        print_yaml_text("message", one->result.found);
        print_yaml_text("expectation", one->result.expectation);
        if (*words) print_yaml_text("case", words);
        printf("  cycle: %llu\n", (unsigned long long)one->result.time.cycles);
        print_yaml_text("time", time);
        print_yaml_text("at", place);
        printf("  file: \"%s\"\n  line: %u\n", one->file->path, (unsigned)one->result.line);
    }
    puts("  ...");
    fflush(stdout);
}

static void add_escaped(const oak_text_sink *out, const char *text)
{
    for (; *text; text++) {
        unsigned char c = (unsigned char)*text;
        const char *as = c == '<'   ? "&lt;"
                         : c == '>' ? "&gt;"
                         : c == '&' ? "&amp;"
                         : c == '"' ? "&quot;"
                                    : NULL;
        if (as) out->write(out->context, as, strlen(as));
        else if (c >= ' ' || c == '\n' || c == '\t') out->write(out->context, text, 1);
    }
}

static void add(const oak_text_sink *out, const char *text)
{
    out->write(out->context, text, strlen(text));
}

bool trial_write_junit(cli *self, const char *path, const trial_outcome *list, size_t count)
{
    cli_text text = {0};
    oak_text_sink out = cli_text_sink(&text);
    char number[200];
    size_t failed = 0, refused = 0;
    for (size_t i = 0; i < count; i++)
        refused += list[i].refused, failed += !list[i].refused && list[i].failed;
    snprintf(number, sizeof number,
             "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites tests=\"%zu\" failures=\"%zu\" "
             "errors=\"%zu\">\n",
             count, failed, refused);
    add(&out, number);
    for (size_t i = 0; i < count;) {
        const trial_file *file = list[i].file;
        size_t end = i, bad = 0, errors = 0;
        for (; end < count && list[end].file == file; end++)
            errors += list[end].refused, bad += !list[end].refused && list[end].failed;
        add(&out, "  <testsuite name=\"");
        add_escaped(&out, file->path);
        snprintf(number, sizeof number, "\" tests=\"%zu\" failures=\"%zu\" errors=\"%zu\" skipped=\"0\">\n",
                 end - i, bad, errors);
        add(&out, number);
        for (; i < end; i++) {
            const trial_outcome *one = &list[i];
            bool good = !one->failed && !one->refused;
            add(&out, "    <testcase name=\"");
            add_escaped(&out, one->name);
            add(&out, "\" classname=\"");
            add_escaped(&out, file->path);
            snprintf(number, sizeof number, "\" time=\"%.3f\"%s>\n", one->seconds, good ? "/" : "");
            add(&out, number);
            if (good) continue;
            char place[200], words[400];
            add(&out, one->refused ? "      <error message=\"the trial cannot be run\"/>\n"
                                   : "      <failure message=\"");
            if (!one->refused) {
                trial_place_text(one, place, sizeof place);
                trial_case_words(one, one->shown, words, sizeof words);
                add_escaped(&out, one->result.found);
                add(&out, "\" type=\"expectation\">");
                add_escaped(&out, one->result.expectation);
                add(&out, "\nat ");
                add_escaped(&out, place);
                snprintf(number, sizeof number, ", cycle %llu", (unsigned long long)one->result.time.cycles);
                add(&out, number);
                if (*words) add(&out, "\n"), add_escaped(&out, words);
                add(&out, "</failure>\n");
            }
            add(&out, "    </testcase>\n");
        }
        add(&out, "  </testsuite>\n");
    }
    add(&out, "</testsuites>\n");
    bool good = cli_write_file(self, path, &text);
    free(text.bytes);
    return good;
}

void trial_print_json(cli *self, const trial_outcome *list, size_t count, cJSON *coverage)
{
    cJSON *document = cJSON_CreateObject(), *trials = cJSON_AddArrayToObject(document, "trials");
    bool all = true;
    for (size_t i = 0; i < count; i++) {
        const trial_outcome *one = &list[i];
        cJSON *item = cJSON_CreateObject();
        bool good = !one->failed && !one->refused;
        all = all && good;
        cJSON_AddStringToObject(item, "file", one->file->path);
        cJSON_AddStringToObject(item, "name", one->name);
        cJSON_AddStringToObject(item, "verdict", one->refused ? "refused" : good ? "passed" : "failed");
        cJSON_AddNumberToObject(item, "cases", (double)one->cases);
        cJSON_AddNumberToObject(item, "ran", (double)one->ran);
        cJSON_AddNumberToObject(item, "failed", (double)one->failed);
        cJSON_AddNumberToObject(item, "checks", (double)one->checks);
        cJSON_AddNumberToObject(item, "cycles", (double)one->cycles);
        cJSON *most = one->most_count ? cJSON_AddArrayToObject(item, "most") : NULL;
        for (unsigned m = 0; most && m < one->most_count; m++) {
            cJSON *longest = cJSON_CreateObject();
            cJSON_AddStringToObject(longest, "expectation", one->most[m].about.what);
            cJSON_AddNumberToObject(longest, "cycles", (double)one->most[m].about.cycles);
            cJSON_AddNumberToObject(longest, "case", (double)one->most[m].one + 1);
            cJSON_AddItemToArray(most, longest);
        }
        if (!good && !one->refused) {
            char text[500];
            cJSON *why = cJSON_AddObjectToObject(item, "failure");
            cJSON_AddStringToObject(why, "expectation", one->result.expectation);
            cJSON_AddStringToObject(why, "found", one->result.found);
            cJSON_AddNumberToObject(why, "line", one->result.line);
            cJSON_AddNumberToObject(why, "case", (double)one->first + 1);
            oak_trial_case_text(one->file->trials, one->number, one->first, text, sizeof text);
            cJSON_AddStringToObject(why, "values", text);
            if (one->shown != one->first) {
                oak_trial_case_text(one->file->trials, one->number, one->shown, text, sizeof text);
                cJSON_AddStringToObject(why, "simplest", text);
            }
            cJSON_AddNumberToObject(why, "cycle", (double)one->result.time.cycles);
            cJSON_AddNumberToObject(why, "instructions", (double)one->result.time.instructions);
            trial_place_text(one, text, sizeof text);
            cJSON_AddStringToObject(why, "at", text);
            trial_bench_command(one, text, sizeof text);
            cJSON_AddStringToObject(why, "bench", text);
        }
        cJSON_AddItemToArray(trials, item);
    }
    if (coverage) cJSON_AddItemToObject(document, "coverage", coverage);
    cJSON_AddBoolToObject(document, "ok", all);
    cli_print_json(self, document);
}
