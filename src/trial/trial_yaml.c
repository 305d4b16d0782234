/* trial_yaml.c — reading files of trials; docs/trials.md describes them. */
#include "part/tree_yaml.h"

#include <oakspindle/print.h>

#include "base/bytes.h"
#include "trial/trial_state.h"

enum { LARGEST_FILE = 4 << 20, MOST_TRIALS = 1000, MOST_ITEMS = 500 };

typedef struct reader {
    oak_trials *trials;
    const oak_diag_sink *sink;
    yaml_document_t document;
    bool refused;
    oak_status status; /* a failure that is no refusal */
} reader;

#define REFUSE_AT(reader, node, hint, ...)                                                                   \
    ((reader)->refused = true,                                                                               \
     oak_refuse((reader)->sink, "trial", (reader)->trials->path, (uint32_t)(node)->start_mark.line + 1,      \
                (uint32_t)(node)->start_mark.column + 1, hint, __VA_ARGS__))
#define EACH_PAIR(map, pair)                                                                                 \
    yaml_node_pair_t *pair = (map)->data.mapping.pairs.start;                                                \
    pair < (map)->data.mapping.pairs.top;                                                                    \
    pair++
#define EACH_ITEM(list, item)                                                                                \
    yaml_node_item_t *item = (list)->data.sequence.items.start;                                              \
    item < (list)->data.sequence.items.top;                                                                  \
    item++

static yaml_node_t *node_at(reader *r, int index)
{
    return yaml_document_get_node(&r->document, index);
}

static const char *scalar(const yaml_node_t *node)
{
    return node && node->type == YAML_SCALAR_NODE ? (const char *)node->data.scalar.value : NULL;
}

static void *take(reader *r, size_t size)
{
    void *piece = oak_arena_zero(&r->trials->arena, size ? size : 1);
    if (!piece) r->status = OAK_NO_MEMORY;
    return piece;
}

static const char *keep(reader *r, const char *text)
{
    const char *copy = oak_arena_text(&r->trials->arena, text, oak_length(text));
    if (!copy) r->status = OAK_NO_MEMORY;
    return copy;
}

static trial_text text_of(reader *r, const yaml_node_t *node)
{
    return (trial_text){keep(r, scalar(node)), (uint32_t)node->start_mark.line + 1,
                        (uint32_t)node->start_mark.column + 1};
}

static size_t items_of(const yaml_node_t *node)
{
    return (size_t)(node->data.sequence.items.top - node->data.sequence.items.start);
}

/* The number of a key among these, which end with NULL; -1 after a message, also where it was `seen` (a bit each). */
static int key_of(reader *r, const yaml_node_t *key, const char *const *keys, unsigned *seen,
                  const char *what)
{
    const char *name = scalar(key);
    char hint[300] = "";
    unsigned least = 3;
    for (int i = 0; keys[i]; i++)
        if (name && oak_same(name, keys[i])) {
            if (*seen >> i & 1) REFUSE_AT(r, key, NULL, "`%s` stands here twice", keys[i]);
            else return *seen |= 1u << i, i;
            return -1;
        }
    for (unsigned i = 0; name && keys[i]; i++) {
        unsigned apart = oak_name_distance(name, oak_length(name), keys[i], oak_length(keys[i]), 2);
        if (apart >= least) continue;
        least = apart;
        oak_format(hint, sizeof hint, "Did you mean `%s`?", keys[i]);
    }
    if (!*hint) {
        oak_format(hint, sizeof hint, "It may have ");
        for (unsigned i = 0; keys[i]; i++)
            oak_format(hint + oak_length(hint), sizeof hint - oak_length(hint), "%s%s", i ? ", " : "",
                       keys[i]);
    }
    REFUSE_AT(r, key, hint, "%s has no key `%s`", what, name ? name : "?");
    return -1;
}

static bool is_text(reader *r, const yaml_node_t *node, const char *what)
{
    if (scalar(node) && *scalar(node)) return true;
    REFUSE_AT(r, node, NULL, "%s is a text", what);
    return false;
}

/* A text, or a list of them. */
static void read_texts(reader *r, const yaml_node_t *node, trial_list *list, const char *what)
{
    size_t count = node->type == YAML_SEQUENCE_NODE ? items_of(node) : 1;
    if (count > MOST_ITEMS) {
        REFUSE_AT(r, node, NULL, "%s are at most %d", what, (int)MOST_ITEMS);
        return;
    }
    list->items = take(r, count * sizeof *list->items);
    for (size_t i = 0; list->items && i < count; i++) {
        const yaml_node_t *item =
            node->type == YAML_SEQUENCE_NODE ? node_at(r, node->data.sequence.items.start[i]) : node;
        if (!is_text(r, item, what)) continue;
        list->items[list->count++] = text_of(r, item);
    }
}

/* `given` is a list of `x = 3`, or `x: 3` pairs. */
static void read_given(reader *r, const yaml_node_t *node, trial_list *list)
{
    if (node->type != YAML_MAPPING_NODE) {
        read_texts(r, node, list, "given values");
        return;
    }
    size_t count = (size_t)(node->data.mapping.pairs.top - node->data.mapping.pairs.start);
    list->items = take(r, count * sizeof *list->items);
    for (EACH_PAIR(node, pair)) {
        const yaml_node_t *key = node_at(r, pair->key), *value = node_at(r, pair->value);
        char text[TRIAL_LONGEST];
        if (!list->items || !is_text(r, key, "what is given") || !is_text(r, value, "a given value"))
            continue;
        oak_format(text, sizeof text, "%s = %s", scalar(key), scalar(value));
        list->items[list->count] = text_of(r, key);
        list->items[list->count++].text = keep(r, text);
    }
}

static trial_column *column_of(reader *r, trial *one, const yaml_node_t *node)
{
    const char *name = scalar(node);
    if (!name || !trial_is_column(name)) {
        REFUSE_AT(r, node, "A name begins with a letter: `weight`, `x`.", "`%s` is no name for a column",
                  name ? name : "?");
        return NULL;
    }
    for (unsigned i = 0; i < one->column_count; i++)
        if (oak_same_name(name, oak_length(name), one->columns[i].name)) return &one->columns[i];
    if (one->column_count == TRIAL_MOST_COLUMNS) {
        REFUSE_AT(r, node, NULL, "a trial has at most %d columns", (int)TRIAL_MOST_COLUMNS);
        return NULL;
    }
    one->columns[one->column_count].name = keep(r, name);
    return &one->columns[one->column_count++];
}

/* `cases`: a list of maps with the same keys, or the name of a table. */
static void read_cases(reader *r, const yaml_node_t *node, trial *one)
{
    if (scalar(node) && oak_length(scalar(node)) > 4 &&
        oak_same(scalar(node) + oak_length(scalar(node)) - 4, ".csv") && !one->column_count) {
        trial_text where = text_of(r, node);
        const char *path = trial_beside(r->trials, scalar(node));
        oak_status status = path ? trial_read_csv(r->trials, one, path, &where, r->sink) : OAK_NO_MEMORY;
        if (status == OAK_REFUSED) r->refused = true;
        else if (status) r->status = status;
        return;
    }
    if (node->type != YAML_SEQUENCE_NODE || !items_of(node) || items_of(node) > TRIAL_MOST_ROWS ||
        one->column_count) {
        REFUSE_AT(r, node, "Write a line `- {x: 3, y: 4}` for each, or `cases: table.csv`, before `for`.",
                  "`cases` is a list of 1 to %d rows", (int)TRIAL_MOST_ROWS);
        return;
    }
    for (EACH_ITEM(node, item)) {
        const yaml_node_t *row = node_at(r, *item);
        unsigned found = 0;
        if (row->type != YAML_MAPPING_NODE) {
            REFUSE_AT(r, row, "Write `- {x: 3, y: 4}`.", "a row of cases is a map of names to values");
            return;
        }
        if (!one->rows) { /* the first names the columns */
            for (EACH_PAIR(row, pair))
                if (!column_of(r, one, node_at(r, pair->key))) return;
            one->table_columns = one->column_count;
            one->cells =
                take(r, items_of(node) * (one->table_columns ? one->table_columns : 1) * sizeof *one->cells);
        }
        if (!one->cells) return;
        for (EACH_PAIR(row, pair)) {
            const yaml_node_t *key = node_at(r, pair->key), *value = node_at(r, pair->value);
            const trial_column *column = column_of(r, one, key);
            if (!column || !is_text(r, value, "a value in a row")) return;
            if (column >= one->columns + one->table_columns) {
                REFUSE_AT(r, key, "Every row has the columns of the first.",
                          "the rows before have no column `%s`", column->name);
                return;
            }
            const char **cell =
                &one->cells[one->rows * one->table_columns + (unsigned)(column - one->columns)];
            if (*cell) {
                REFUSE_AT(r, key, NULL, "`%s` has a value already", column->name);
                return;
            }
            *cell = keep(r, scalar(value));
            found++;
        }
        if (found != one->table_columns) {
            REFUSE_AT(r, row, "Every row has the columns of the first.", "a value is missing in this row");
            return;
        }
        one->rows++;
    }
}

/* 7, 0..255, -3..3 */
static bool read_stretch(const char *text, trial_stretch *stretch)
{
    int64_t *part[] = {&stretch->from, &stretch->to};
    for (unsigned i = 0; i < 2; i++) {
        bool minus = *text == '-';
        uint64_t value;
        size_t used;
        const char *end = text += minus;
        while (*end && !(end[0] == '.' && end[1] == '.')) end++;
        while (end > text && end[-1] == ' ') end--;
        if (oak_read_number(text, end, &value, &used) || text + used != end || value > INT64_MAX)
            return false;
        *part[i] = minus ? -(int64_t)value : (int64_t)value;
        for (text = end; *text == ' '; text++) {
        }
        if (!i && !*text) {
            stretch->to = stretch->from;
            return true;
        }
        if (!i)
            for (text += 2; *text == ' '; text++) {
            }
    }
    return !*text && stretch->from <= stretch->to &&
           (uint64_t)stretch->to - (uint64_t)stretch->from < (uint64_t)1 << 32;
}

static void read_for(reader *r, const yaml_node_t *node, trial *one)
{
    if (node->type != YAML_MAPPING_NODE) {
        REFUSE_AT(r, node, "Write `x: 0..255` or `x: [1, 7, 100..110]` below it.",
                  "`for` says which values names take");
        return;
    }
    for (EACH_PAIR(node, pair)) {
        const yaml_node_t *key = node_at(r, pair->key), *value = node_at(r, pair->value);
        unsigned before = one->column_count;
        trial_column *column = column_of(r, one, key);
        size_t count = value->type == YAML_SEQUENCE_NODE ? items_of(value) : 1;
        if (!column) return;
        if (one->column_count == before) {
            REFUSE_AT(r, key, NULL, "`%s` has values already", column->name);
            return;
        }
        column->stretches = take(r, count * sizeof *column->stretches);
        for (size_t i = 0; column->stretches && i < count; i++) {
            const yaml_node_t *item =
                value->type == YAML_SEQUENCE_NODE ? node_at(r, value->data.sequence.items.start[i]) : value;
            trial_stretch *stretch = &column->stretches[i];
            if (!scalar(item) || !read_stretch(scalar(item), stretch)) {
                REFUSE_AT(r, item, "Write `0..255`, or a list `[1, 7, 100..110]`.",
                          "`%s` is no range of numbers", scalar(item) ? scalar(item) : "this");
                return;
            }
            column->stretch_count++;
            column->values += (uint64_t)(stretch->to - stretch->from) + 1;
        }
        if (!column->values) {
            REFUSE_AT(r, value, NULL, "`%s` takes no value", column->name);
            return;
        }
    }
}

static void read_expectation(reader *r, const yaml_node_t *item, trial_expectation *one)
{
    char message[300];
    const char *hint;
    if (item->type != YAML_MAPPING_NODE ||
        item->data.mapping.pairs.top - item->data.mapping.pairs.start != 1) {
        REFUSE_AT(r, item, "Write `- at end: count == 3`.", "an expectation is when, a colon, and what");
        return;
    }
    const yaml_node_t *key = node_at(r, item->data.mapping.pairs.start->key),
                      *value = node_at(r, item->data.mapping.pairs.start->value);
    if (!is_text(r, key, "when it is expected")) return;
    one->key = text_of(r, key);
    if (!one->key.text) return;
    if (!trial_read_phrase(&r->trials->arena, one, message, sizeof message, &hint)) {
        REFUSE_AT(r, key, hint, "%s", message);
        return;
    }
    if (one->when == TRIAL_IN_ORDER) {
        if (value->type != YAML_SEQUENCE_NODE || items_of(value) < 2 || items_of(value) > TRIAL_MOST_EVENTS) {
            REFUSE_AT(r, value, "Write `[door rises, relay falls, main is reached]`.",
                      "an order is a list of 2 to %d events", (int)TRIAL_MOST_EVENTS);
            return;
        }
        read_texts(r, value, &one->events, "events");
        one->value = one->events.count ? one->events.items[0] : one->key;
    } else if (is_text(r, value, "what is expected")) one->value = text_of(r, value);
}

static void read_expectations(reader *r, const yaml_node_t *node, trial *one)
{
    if (node->type != YAML_SEQUENCE_NODE || !items_of(node) || items_of(node) > TRIAL_MOST_EXPECTATIONS) {
        REFUSE_AT(r, node, "Write a line `- at end: count == 3` for each.",
                  "`expect` is a list of 1 to %d expectations", (int)TRIAL_MOST_EXPECTATIONS);
        return;
    }
    one->expectations = take(r, items_of(node) * sizeof *one->expectations);
    for (EACH_ITEM(node, item)) {
        if (!one->expectations) return;
        read_expectation(r, node_at(r, *item), &one->expectations[one->expectation_count++]);
    }
}

static void read_trial(reader *r, const yaml_node_t *node, trial *one)
{
    static const char *const keys[] = {"name", "given",  "acts", "drives", "run",    "cases",
                                       "for",  "sample", "call", "after",  "expect", NULL};
    enum { NAME, GIVEN, ACTS, DRIVES, RUN, CASES, FOR, SAMPLE, CALL, AFTER, EXPECT };
    unsigned seen = 0;
    if (node->type != YAML_MAPPING_NODE) {
        REFUSE_AT(r, node, "Write `- name: …` and below it what is given and expected.", "a trial is a map");
        return;
    }
    one->about.line = (uint32_t)node->start_mark.line + 1;
    for (EACH_PAIR(node, pair)) {
        const yaml_node_t *key = node_at(r, pair->key), *value = node_at(r, pair->value);
        int number = key_of(r, key, keys, &seen, "a trial");
        uint64_t count;
        size_t used;
        if (number < 0) continue;
        switch (number) {
        case NAME:
            if (is_text(r, value, "a name")) one->about.name = keep(r, scalar(value));
            break;
        case GIVEN: read_given(r, value, &one->given); break;
        case ACTS: read_texts(r, value, &one->acts, "acts"); break;
        case DRIVES: read_texts(r, value, &one->drives, "drives"); break;
        case RUN:
            one->has_run = is_text(r, value, "how long it runs") &&
                           trial_read_span(scalar(value), oak_length(scalar(value)), &one->run) &&
                           (one->run.cycles || one->run.picoseconds);
            if (!one->has_run && scalar(value))
                REFUSE_AT(r, value, "Write `run: 60ms` or `run: 5000 cycles`.", "`%s` is no time to run",
                          scalar(value));
            break;
        case CASES: read_cases(r, value, one); break;
        case FOR: read_for(r, value, one); break;
        case SAMPLE:
            if (!scalar(value) ||
                oak_read_number(scalar(value), scalar(value) + oak_length(scalar(value)), &count, &used) ||
                !count || scalar(value)[used])
                REFUSE_AT(r, value, "Write `sample: 1000`.", "a sample is a number of cases from 1");
            else one->sample = count;
            break;
        case CALL:
            if (is_text(r, value, "the routine that is called")) one->call = text_of(r, value);
            break;
        case AFTER:
            if (is_text(r, value, "the place before the call")) one->after = text_of(r, value);
            break;
        default: read_expectations(r, value, one); break;
        }
    }
    if (!one->about.name)
        REFUSE_AT(r, node, "Write `- name: the relay lets go when the door opens`.", "a trial needs a name");
    if (!(seen >> EXPECT & 1))
        REFUSE_AT(r, node, "Write `expect:` and below it `- at end: count == 3`.",
                  "a trial expects something");
    if (one->after.text && !one->call.text) REFUSE_AT(r, node, NULL, "`after` belongs to `call`");
    one->about.cases = trial_count_cases(one);
    if (one->sample && one->sample < one->about.cases) one->about.cases = one->sample;
    if (one->about.cases > 1u << 24)
        REFUSE_AT(r, node, "Write `sample: 1000` to take some of them.",
                  "these are more than 16 million cases");
}

static const char *beside(reader *r, const char *name)
{
    const char *path = trial_beside(r->trials, name);
    if (!path) r->status = OAK_NO_MEMORY;
    return path;
}

static void read_file(reader *r, const yaml_node_t *root)
{
    static const char *const keys[] = {"program", "part", "board", "clock", "seed", "trials", NULL};
    enum { PROGRAM, PART, BOARD, CLOCK, SEED, TRIALS };
    oak_trials_about *about = &r->trials->about;
    const yaml_node_t *list = NULL;
    unsigned seen = 0;
    if (root->type != YAML_MAPPING_NODE) {
        REFUSE_AT(r, root, "It begins with `program: main.asm`; docs/trials.md has an example.",
                  "a file of trials is a map");
        return;
    }
    for (EACH_PAIR(root, pair)) {
        const yaml_node_t *key = node_at(r, pair->key), *value = node_at(r, pair->value);
        int number = key_of(r, key, keys, &seen, "a file of trials");
        size_t used;
        if (number < 0) continue;
        if (number == TRIALS) {
            list = value;
            continue;
        }
        if (!is_text(r, value, keys[number])) continue;
        const char *text = scalar(value);
        bool is_path = false;
        for (const char *at = text; *at; at++)
            is_path |= *at == '/' || (at[0] == '.' && oak_same(at, ".yaml"));
        switch (number) {
        case PROGRAM: about->program = beside(r, text); break;
        case BOARD: about->board = beside(r, text); break;
        case PART: about->part = is_path ? beside(r, text) : keep(r, text); break;
        case CLOCK: about->clock = keep(r, text); break;
        default:
            if (oak_read_number(text, text + oak_length(text), &about->seed, &used) || !about->seed ||
                text[used])
                REFUSE_AT(r, value, NULL, "a seed is a whole number from 1");
            break;
        }
    }
    if (!list || list->type != YAML_SEQUENCE_NODE || !items_of(list) || items_of(list) > MOST_TRIALS) {
        const yaml_node_t *at = list ? list : root;
        REFUSE_AT(r, at, "Write `trials:` and below it `- name: …`.", "`trials` is a list of 1 to %d",
                  (int)MOST_TRIALS);
        return;
    }
    r->trials->list = take(r, items_of(list) * sizeof *r->trials->list);
    for (EACH_ITEM(list, item)) {
        if (!r->trials->list) return;
        const yaml_node_t *node = node_at(r, *item);
        trial *one = &r->trials->list[r->trials->count++];
        read_trial(r, node, one);
        for (trial *other = r->trials->list; other < one; other++)
            if (one->about.name && other->about.name && oak_same(one->about.name, other->about.name))
                REFUSE_AT(r, node, "Names tell trials apart.", "there is a trial `%s` above",
                          one->about.name);
    }
}

oak_status oak_trials_load(const oak_host *host, const char *path, const oak_diag_sink *sink,
                           oak_trials **result)
{
    if (!host || !path || !sink || !result) return OAK_MISUSE;
    uint8_t *bytes;
    size_t size;
    oak_status status = host->read_file(host->context, path, LARGEST_FILE, &bytes, &size);
    if (status == OAK_NO_MEMORY) return status;
    if (status) {
        oak_refuse(sink, "no-file", path, 0, 0, "docs/trials.md has an example.", "%s",
                   status == OAK_NOT_FOUND ? "there is no such file of trials" : oak_status_text(status));
        return OAK_REFUSED;
    }
    oak_trials *trials = host->resize(host->context, NULL, 0, sizeof *trials);
    reader r = {.trials = trials, .sink = sink};
    oak_yaml_fault fault;
    status = trials ? OAK_OK : OAK_NO_MEMORY;
    if (trials) {
        *trials = (oak_trials){.about = {.seed = 1}};
        oak_arena_open(&trials->arena, host);
        trials->path = oak_arena_text(&trials->arena, path, oak_length(path));
        status = trials->path ? oak_yaml_read(bytes, size, &r.document, &fault) : OAK_NO_MEMORY;
        if (status == OAK_REFUSED)
            oak_refuse(sink, "trial", path, fault.line, fault.column,
                       fault.message
                           ? "A text that begins with ! & * [ or {, or has a colon in it, stands in quotes."
                           : NULL,
                       "%s", fault.message ? fault.message : "there is nothing in this file");
    }
    if (bytes) host->resize(host->context, bytes, size, 0);
    if (!status) {
        read_file(&r, yaml_document_get_root_node(&r.document));
        yaml_document_delete(&r.document);
        status = r.status ? r.status : r.refused ? OAK_REFUSED : OAK_OK;
    }
    if (status) oak_trials_free(trials);
    else *result = trials;
    return status;
}
