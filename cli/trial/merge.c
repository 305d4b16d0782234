/* merge.c — what shards have found, put together: documents of `spindle trial --json`, one for each shard, give what one run of all cases would. */
#include <stdlib.h>
#include <string.h>

#include "trial_run.h"

enum { LARGEST = 64 << 20 };

static double number_of(const cJSON *item, const char *name)
{
    const cJSON *one = cJSON_GetObjectItemCaseSensitive(item, name);
    return cJSON_IsNumber(one) ? one->valuedouble : 0;
}

static const char *text_of(const cJSON *item, const char *name)
{
    const char *text = cJSON_GetStringValue(cJSON_GetObjectItemCaseSensitive(item, name));
    return text ? text : "";
}

static cJSON *read_document(cli *self, const char *path)
{
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_status status = self->host.read_file(self->host.context, path, LARGEST, &bytes, &size);
    cJSON *document = status || !size ? NULL : cJSON_ParseWithLength((const char *)bytes, size);
    if (bytes) self->host.resize(self->host.context, bytes, size, 0);
    if (cJSON_IsArray(cJSON_GetObjectItemCaseSensitive(document, "trials"))) return document;
    cli_complain(self, "trial", path, "`spindle trial --shard 1/4 --json` writes one.",
                 status == OAK_NOT_FOUND ? "there is no such file" : "this is no document of trials");
    cJSON_Delete(document);
    return NULL;
}

static cJSON *same_trial(cJSON *list, const cJSON *wanted)
{
    cJSON *one;
    cJSON_ArrayForEach(one, list) if (!strcmp(text_of(one, "file"), text_of(wanted, "file")) &&
                                      !strcmp(text_of(one, "name"), text_of(wanted, "name"))) return one;
    return NULL;
}

static void add_number(cJSON *into, const cJSON *from, const char *name)
{
    cJSON *one = cJSON_GetObjectItemCaseSensitive(into, name);
    if (one) cJSON_SetNumberValue(one, one->valuedouble + number_of(from, name));
}

/* The longest of all shards; of several the first case. */
static void add_most(cJSON *into, const cJSON *from)
{
    cJSON *mine = cJSON_GetObjectItemCaseSensitive(into, "most"),
          *other = cJSON_GetObjectItemCaseSensitive(from, "most");
    if (!mine && other) { /* in the order in which they are written */
        cJSON *failure = cJSON_DetachItemFromObjectCaseSensitive(into, "failure");
        cJSON_AddItemToObject(into, "most", cJSON_Duplicate(other, 1));
        if (failure) cJSON_AddItemToObject(into, "failure", failure);
    }
    for (int i = 0; mine && i < cJSON_GetArraySize(other); i++) {
        const cJSON *one = cJSON_GetArrayItem(other, i), *had = cJSON_GetArrayItem(mine, i);
        double more = number_of(one, "cycles") - number_of(had, "cycles");
        if (!had) cJSON_AddItemToArray(mine, cJSON_Duplicate(one, 1));
        else if (more > 0 || (!(more < 0) && number_of(one, "case") < number_of(had, "case")))
            cJSON_ReplaceItemInArray(mine, i, cJSON_Duplicate(one, 1));
    }
}

/* One trial of a shard into the same of those before. */
static void put_together(cJSON *into, const cJSON *from)
{
    static const char *const sums[] = {"ran", "failed", "checks", "cycles"};
    cJSON *mine = cJSON_GetObjectItemCaseSensitive(into, "failure"),
          *other = cJSON_GetObjectItemCaseSensitive(from, "failure");
    for (unsigned i = 0; i < sizeof sums / sizeof *sums; i++) add_number(into, from, sums[i]);
    if (other && (!mine || number_of(other, "case") < number_of(mine, "case"))) {
        if (mine) cJSON_DeleteItemFromObjectCaseSensitive(into, "failure");
        cJSON_AddItemToObject(into, "failure", cJSON_Duplicate(other, 1));
    }
    add_most(into, from);
    bool refused =
        !strcmp(text_of(into, "verdict"), "refused") || !strcmp(text_of(from, "verdict"), "refused");
    cJSON_ReplaceItemInObjectCaseSensitive(into, "verdict",
                                           cJSON_CreateString(refused                         ? "refused"
                                                              : number_of(into, "failed") > 0 ? "failed"
                                                                                              : "passed"));
}

static void print_trial(cli *self, const cJSON *one)
{
    const cJSON *why = cJSON_GetObjectItemCaseSensitive(one, "failure");
    bool passed = !strcmp(text_of(one, "verdict"), "passed");
    printf("%s%s%s  %s  (%.0f of %.0f cases)\n",
           cli_paint(self->result_colour, passed ? PAINT_STRONG : PAINT_ERROR),
           passed ? "passed"
           : why  ? "FAILED"
                  : "refused",
           cli_paint(self->result_colour, PAINT_OFF), text_of(one, "name"), number_of(one, "ran"),
           number_of(one, "cases"));
    if (!why) return;
    printf("    %.0f cases; the first is case %.0f", number_of(one, "failed"), number_of(why, "case"));
    if (*text_of(why, "values")) printf(" (%s)", text_of(why, "values"));
    if (*text_of(why, "simplest")) printf("\n    simplest  %s", text_of(why, "simplest"));
    printf("\n    expected  %s  (%s:%.0f)\n    found     %s\n    when      cycle %.0f, at %s\n    go there  "
           "%s\n",
           text_of(why, "expectation"), text_of(one, "file"), number_of(why, "line"), text_of(why, "found"),
           number_of(why, "cycle"), text_of(why, "at"), text_of(why, "bench"));
}

int trial_merge(cli *self, const char *const *paths, const trial_options *options)
{
    cJSON *document = cJSON_CreateObject(), *list = cJSON_AddArrayToObject(document, "trials"),
          *coverage = NULL;
    unsigned failed = 0, refused = 0, short_of = 0;
    for (; *paths; paths++) {
        cJSON *shard = read_document(self, *paths), *one;
        if (!shard) {
            cJSON_Delete(document);
            return EXIT_REFUSED;
        }
        cJSON_ArrayForEach(one, cJSON_GetObjectItemCaseSensitive(shard, "trials"))
        {
            cJSON *mine = same_trial(list, one);
            if (mine) put_together(mine, one);
            else cJSON_AddItemToArray(list, cJSON_Duplicate(one, 1));
        }
        one = cJSON_GetObjectItemCaseSensitive(shard, "coverage");
        if (one && !coverage) coverage = cJSON_AddObjectToObject(document, "coverage");
        if (one) trial_add_lines(coverage, one);
        cJSON_Delete(shard);
    }
    const cJSON *one;
    const char *file = "";
    cJSON_ArrayForEach(one, list)
    {
        failed += !strcmp(text_of(one, "verdict"), "failed");
        refused += !strcmp(text_of(one, "verdict"), "refused");
        short_of += number_of(one, "ran") != number_of(one, "cases");
        if (self->json) continue;
        if (strcmp(file, text_of(one, "file"))) puts(text_of(one, "file"));
        file = text_of(one, "file");
        print_trial(self, one);
    }
    if (short_of) {
        char message[200];
        snprintf(
            message, sizeof message,
            "of %u trial%s not every case has run, or some twice: a shard is missing, or was given twice",
            short_of, short_of > 1 ? "s" : "");
        cli_complain(self, "trial", NULL, "Give the document of every shard, each once.", message);
    }
    if (!self->json)
        printf("\n%d trials: %u failed%s\n", cJSON_GetArraySize(list), failed,
               refused ? ", some cannot be run" : "");
    if (!self->json && coverage) trial_print_lines(coverage);
    bool written = !options->coverage || (coverage && trial_write_lines(self, options->coverage, coverage));
    if (!written && !coverage)
        cli_complain(self, "trial", NULL, "Give every shard --coverage, too.",
                     "no document says which lines have run");
    cJSON_AddBoolToObject(document, "ok", !failed && !refused && !short_of);
    if (self->json) cli_print_json(self, document);
    else cJSON_Delete(document);
    return failed ? EXIT_EXPECTATION : refused || short_of || !written ? EXIT_REFUSED : EXIT_DONE;
}
