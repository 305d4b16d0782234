/* cases.c — the cases of a trial: rows of a table, all values of ranges, or a sample of them; and texts with their values put in. */
#include "trial/trial_state.h"

uint64_t trial_count_cases(const trial *one)
{
    uint64_t count = one->rows ? one->rows : 1;
    for (unsigned i = one->table_columns; i < one->column_count; i++) {
        if (!one->columns[i].values) continue; /* refused, and told */
        if (one->columns[i].values > UINT64_MAX / count) return UINT64_MAX;
        count *= one->columns[i].values;
    }
    return count;
}

bool trial_is_column(const char *name)
{
    bool word = oak_is_letter(*name) || *name == '_';
    for (const char *at = name; word && *at; at++)
        word = oak_is_word(*at) || *at == '_' || *at == '.' || *at == '\'';
    return word;
}

const char *trial_beside(oak_trials *trials, const char *name)
{
    const char *path = trials->path, *end = path;
    char text[1000];
    for (const char *at = path; *at; at++)
        if (*at == '/') end = at + 1;
    if (*name == '/') end = path;
    oak_format(text, sizeof text, "%.*s%s", (int)(end - path), path, name);
    return oak_arena_text(&trials->arena, text, oak_length(text));
}

/* A number that follows from two others in no way to be seen. */
static uint64_t mixed(uint64_t a, uint64_t b)
{
    uint64_t x = a * 0x9E3779B97F4A7C15u + b * 0xD1B54A32D192ED03u + 0x632BE59BD9B4E019u;
    x ^= x >> 32, x *= 0xD6E8FEB86659FD93u, x ^= x >> 32, x *= 0xD6E8FEB86659FD93u;
    return x ^ x >> 32;
}

static int64_t nth(const trial_column *column, uint64_t number)
{
    for (unsigned i = 0; i < column->stretch_count; i++) {
        uint64_t size = (uint64_t)(column->stretches[i].to - column->stretches[i].from) + 1;
        if (number < size) return column->stretches[i].from + (int64_t)number;
        number -= size;
    }
    return column->stretch_count ? column->stretches[0].from : 0;
}

static bool is_sampled(const trial *one)
{
    return one->sample && trial_count_cases(one) > one->sample;
}

uint64_t trial_reach(const trial *one)
{
    uint64_t all = trial_count_cases(one);
    return is_sampled(one) && all < UINT64_MAX / 4 ? one->about.cases + all : one->about.cases;
}

bool trial_value(const oak_trials *trials, const trial *one, uint64_t number, unsigned column, char *text,
                 size_t room)
{
    bool sampled = is_sampled(one) && number < one->about.cases;
    uint64_t rows = one->rows ? one->rows : 1;
    if (!sampled && is_sampled(one)) number -= one->about.cases;
    uint64_t rest = number;
    if (column < one->table_columns) {
        uint64_t row = sampled ? mixed(trials->about.seed, 2 * number) % rows : number % rows;
        oak_format(text, room, "%s", one->cells[row * one->table_columns + column]);
        return true;
    }
    rest /= rows;
    for (unsigned i = one->table_columns; i < column; i++) rest /= one->columns[i].values;
    if (sampled) rest = mixed(trials->about.seed ^ (uint64_t)column << 32, 2 * number + 1);
    oak_format(text, room, "%lld", (long long)nth(&one->columns[column], rest % one->columns[column].values));
    return true;
}

/* ------------------------------------------------------------------------------------------ simpler cases */

/* Which of a column's values the case has; how many it has. */
static uint64_t choice(const oak_trials *trials, const trial *one, uint64_t number, unsigned column,
                       uint64_t *choices)
{
    uint64_t rows = one->rows ? one->rows : 1;
    bool sampled = number < one->about.cases;
    const trial_column *about = &one->columns[column];
    *choices = column < one->table_columns ? rows : about->values;
    if (sampled && column < one->table_columns) return mixed(trials->about.seed, 2 * number) % rows;
    if (sampled) return mixed(trials->about.seed ^ (uint64_t)column << 32, 2 * number + 1) % about->values;
    number -= one->about.cases;
    if (column < one->table_columns) return number % rows;
    number /= rows;
    for (unsigned i = one->table_columns; i < column; i++) number /= one->columns[i].values;
    return number % about->values;
}

/* The value nearest to 0 that a column has; a row of the table is the simpler the sooner it stands there. */
static uint64_t simplest(const trial *one, unsigned column)
{
    uint64_t best = 0, at = 0, least = UINT64_MAX;
    for (unsigned i = 0; column >= one->table_columns && i < one->columns[column].stretch_count; i++) {
        const trial_stretch *stretch = &one->columns[column].stretches[i];
        int64_t near = stretch->from > 0 ? stretch->from : stretch->to < 0 ? stretch->to : 0;
        uint64_t size = near < 0 ? (uint64_t)-near : (uint64_t)near;
        if (size < least) least = size, best = at + (uint64_t)(near - stretch->from);
        at += (uint64_t)(stretch->to - stretch->from) + 1;
    }
    return best;
}

bool oak_trial_simpler(const oak_trials *trials, unsigned number, uint64_t case_number, unsigned attempt,
                       uint64_t *simpler)
{
    if (!trials || !simpler) return false;
    enum {
        SMALL = 3,
        PARTS = 6,
        WAYS = SMALL + PARTS + 2
    }; /* 0, 1, 2; a half, three quarters, …; two less, one less */
    const trial *one = number < trials->count ? &trials->list[number] : NULL;
    if (!one || !is_sampled(one) || trial_reach(one) == one->about.cases) return false;
    unsigned first = one->rows && one->table_columns ? one->table_columns - 1 : 0; /* a row is one choice */
    unsigned wanted = first + attempt / WAYS;
    if (wanted >= one->column_count) return false;
    uint64_t index = 0, scale = 1;
    for (unsigned i = first; i < one->column_count; i++) {
        uint64_t choices, now = choice(trials, one, case_number, i, &choices), best = simplest(one, i);
        if (i == wanted) {
            uint64_t away = now > best ? now - best : best - now, way = attempt % WAYS,
                     less = way < SMALL           ? 0
                            : way < SMALL + PARTS ? (away + 1) >> (way - SMALL + 1)
                                                  : WAYS - way;
            uint64_t left = way < SMALL ? way : less < away ? away - less : 0;
            if (left > away) left = away;
            now = now > best ? best + left : best - left;
        }
        index += now * scale;
        scale *= choices;
    }
    *simpler = one->about.cases + index;
    return true;
}

/* ------------------------------------------------------------------------------------------ texts */

static const char *value_of(const oak_trials *trials, const trial *one, uint64_t number, const char *name,
                            size_t length, char *text, size_t room)
{
    for (unsigned i = 0; i < one->column_count; i++)
        if (oak_length(one->columns[i].name) == length && oak_same_name(name, length, one->columns[i].name) &&
            trial_value(trials, one, number, i, text, room))
            return text;
    return NULL;
}

/* *puts: how many values were put in. */
static bool fill(const oak_trials *trials, const trial *one, uint64_t number, const char *text, bool bare,
                 char *filled, size_t room, unsigned *puts)
{
    size_t used = 0;
    char quote = 0, value[TRIAL_LONGEST];
    const char *start = text;
    while (*text) {
        const char *end = text, *put = NULL;
        size_t length = 1;
        if (*text == '{') {
            for (end = text + 1; oak_is_word(*end) || *end == '_'; end++) {
            }
            if (*end == '}')
                put = value_of(trials, one, number, text + 1, (size_t)(end - text - 1), value, sizeof value);
            if (put) length = (size_t)(end - text) + 1;
        } else if (quote ? *text == quote : oak_opens_quote(start, text)) quote = quote ? 0 : *text;
        else if (!quote && (oak_is_letter(*text) || *text == '_')) {
            for (; oak_is_word(*end) || *end == '_' || *end == '\'' || *end == '.'; end++) {
            }
            length = (size_t)(end - text);
            if (bare) put = value_of(trials, one, number, text, length, value, sizeof value);
        } else if (!quote && oak_is_digit(*text)) { /* 2ah is no name */
            for (; oak_is_word(*end); end++) {
            }
            length = (size_t)(end - text);
        }
        size_t size = put ? oak_length(put) : length;
        *puts += put != NULL;
        bool enclosed = put && *text != '{' && *put == '-';
        if (used + size + 3 > room) return false;
        if (enclosed) filled[used++] = '(';
        for (size_t i = 0; i < size; i++) filled[used++] = put ? put[i] : text[i];
        if (enclosed) filled[used++] = ')';
        text += length;
    }
    filled[used] = 0;
    return true;
}

bool trial_fill(const oak_trials *trials, const trial *one, uint64_t number, const char *text, bool bare,
                char *filled, size_t room)
{
    unsigned puts = 0;
    return fill(trials, one, number, text, bare, filled, room, &puts);
}

bool trial_mentions(const oak_trials *trials, const trial *one, const char *text, bool bare)
{
    char filled[TRIAL_LONGEST];
    unsigned puts = 0;
    return !fill(trials, one, 0, text, bare, filled, sizeof filled, &puts) || puts;
}

void oak_trial_case_text(const oak_trials *trials, unsigned number, uint64_t case_number, char *text,
                         size_t room)
{
    if (!trials || !text) return;
    const trial *one = number < trials->count ? &trials->list[number] : NULL;
    size_t used = 0;
    *text = 0;
    if (!one || one->about.cases < 2) return;
    for (unsigned i = 0; i < one->column_count; i++) {
        char value[TRIAL_LONGEST];
        if (!trial_value(trials, one, case_number, i, value, sizeof value)) continue;
        oak_format(text + used, room - used, "%s%s = %s", i ? ", " : "", one->columns[i].name, value);
        used = oak_length(text);
    }
}
