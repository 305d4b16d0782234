/* cmd_wave.c — spindle wave: signals over time, from a run or from a value-change dump, as a picture or as text. */
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "wave.h"

typedef struct wave_options {
    char *out, *from, *to;
    char **only;
    int width, height;
    const char *stop; /* what the run has stopped at, or NULL */
} wave_options;

/* ------------------------------------------------------------------------------------------ rows */

static bool wanted(char *const *only, const char *name)
{
    for (; only && *only; only++)
        if (strcasecmp(*only, name) == 0) return true;
    return false;
}

static bool add_piece(wave_row *row, size_t *room, wave_piece piece)
{
    if (row->count == *room) {
        size_t more = *room ? *room * 2 : 64;
        wave_piece *grown = cli_realloc(row->pieces, more * sizeof *grown);
        if (!grown) return false;
        row->pieces = grown;
        *room = more;
    }
    row->pieces[row->count++] = piece;
    return true;
}

/* The states of a signal inside the window. */
static bool fill_row(wave_view *view, wave_row *row)
{
    oak_trace_change change;
    size_t room = 0;
    wave_piece now = {view->from, view->to, UINT32_MAX, UINT32_MAX};
    bool good = true;
    for (size_t i = 0; good && oak_trace_change_at(row->trace, i, &change); i++) {
        if (change.signal != row->signal) continue;
        uint64_t at = oak_trace_picoseconds(row->trace, change.time);
        if (at >= view->to) break;
        if (at > view->from) {
            now.to = at;
            good = add_piece(row, &room, now);
            now.from = at;
        }
        now.value = change.value;
        now.other = change.other;
    }
    now.to = view->to;
    return good && add_piece(row, &room, now);
}

/* From the first rising edge to the last one. */
static void measure(wave_row *row)
{
    uint64_t first = 0, last = 0, high = 0, high_at_last = 0, shortest = UINT64_MAX, longest = 0;
    for (size_t i = 1; i < row->count; i++) {
        const wave_piece *before = &row->pieces[i - 1], *piece = &row->pieces[i];
        if (row->rises && before->value == 1 && !before->other) high += before->to - before->from;
        if (piece->value != 1 || piece->other || before->value || before->other) continue;
        if (!row->rises++) first = piece->from, high = 0;
        else {
            uint64_t period = piece->from - last;
            if (period < shortest) shortest = period;
            if (period > longest) longest = period;
        }
        last = piece->from;
        high_at_last = high;
    }
    if (row->rises < 2 || longest - shortest > shortest / 4) return; /* no regular signal */
    row->period = (double)(last - first) / (double)(row->rises - 1);
    row->high = (double)high_at_last / (double)(last - first);
}

static bool add_row_of(wave_view *view, const oak_trace *trace, unsigned signal, const char *name)
{
    if (view->row_count == WAVE_MOST_ROWS) {
        view->left_out++;
        return true;
    }
    const oak_trace_signal *about = oak_trace_signal_at(trace, signal);
    wave_row *row = &view->rows[view->row_count++];
    *row =
        (wave_row){.name = name ? name : about->name, .signal = signal, .bits = about->bits, .trace = trace};
    if (!fill_row(view, row)) return false;
    if (row->bits == 1) measure(row);
    return true;
}

/* Is a signal not as it was? */
static bool differs(const wave_view *view, const char *name)
{
    enum { MOST = 1000 };
    oak_trace_difference *list = cli_malloc(MOST * sizeof *list);
    size_t count = 0;
    bool found = false;
    if (list) oak_trace_compare(view->beside, view->trace, view->off, list, MOST, &count);
    for (size_t i = 0; list && i < count && i < MOST; i++) found |= !strcmp(list[i].signal, name);
    free(list);
    return found;
}

static bool add_row(wave_view *view, unsigned signal)
{
    const oak_trace_signal *about = oak_trace_signal_at(view->trace, signal), *other = NULL;
    unsigned number = 0;
    while (view->beside && (other = oak_trace_signal_at(view->beside, number)) &&
           strcmp(other->name, about->name))
        number++;
    if (!other || view->row_count + 2 > WAVE_MOST_ROWS || !differs(view, about->name))
        return add_row_of(view, view->trace, signal, NULL);
    if (!add_row_of(view, view->beside, number, NULL)) return false;
    if (!add_row_of(view, view->trace, signal, "  now")) return false;
    view->rows[view->row_count - 1].as = &view->rows[view->row_count - 2];
    return true;
}

static bool add_mark(wave_view *view, const char *name, uint64_t at)
{
    const wave_mark *last = view->mark_count ? &view->marks[view->mark_count - 1] : NULL;
    if (last && last->time == at && strcmp(last->name, name) == 0) return true;
    if (view->mark_count == view->mark_room) {
        size_t room = view->mark_room ? view->mark_room * 2 : 64;
        wave_mark *grown = cli_realloc(view->marks, room * sizeof *grown);
        if (!grown) return false;
        view->marks = grown;
        view->mark_room = room;
    }
    view->marks[view->mark_count++] = (wave_mark){name, at};
    return true;
}

static bool add_marks(wave_view *view)
{
    oak_trace_change change;
    for (size_t i = 0; oak_trace_change_at(view->trace, i, &change); i++) {
        const oak_trace_signal *signal = oak_trace_signal_at(view->trace, change.signal);
        uint64_t at = oak_trace_picoseconds(view->trace, change.time);
        if (signal->is_event && at >= view->from && at <= view->to && !add_mark(view, signal->name, at))
            return false;
    }
    return true;
}

bool wave_open(cli *self, wave_view *view, char *const *only)
{
    const oak_trace_signal *signal;
    bool good = true;
    uint32_t clocks;
    uint64_t clock = oak_trace_clock(view->trace, &clocks);
    if (clock) view->cycle = 1e15 * clocks / (double)clock;
    for (char *const *one = only; good && one && *one; one++) {
        bool found = false;
        for (unsigned i = 0; good && (signal = oak_trace_signal_at(view->trace, i)); i++) {
            if (signal->is_event || strcasecmp(signal->name, *one) != 0) continue;
            found = true;
            good = add_row(view, i);
        }
        if (found) continue;
        char message[200], hint[400] = "There are:";
        snprintf(message, sizeof message, "no signal is called `%.100s`", *one);
        for (unsigned i = 0; (signal = oak_trace_signal_at(view->trace, i)) && strlen(hint) < 300; i++)
            snprintf(hint + strlen(hint), sizeof hint - strlen(hint), "%s %.60s", i ? "," : "", signal->name);
        cli_complain(self, "no-signal", NULL, hint, message);
        return false;
    }
    for (unsigned i = 0; good && !only && (signal = oak_trace_signal_at(view->trace, i)); i++)
        if (!signal->is_event && !wanted(only, signal->name)) good = add_row(view, i);
    if (good) good = add_marks(view);
    uint64_t end = oak_trace_picoseconds(view->trace, oak_trace_end(view->trace));
    if (good && view->stop && end >= view->from && end <= view->to) good = add_mark(view, view->stop, end);
    if (!good) cli_failed(self, OAK_NO_MEMORY, "wave");
    return good;
}

void wave_close(wave_view *view)
{
    for (unsigned i = 0; i < view->row_count; i++) free(view->rows[i].pieces);
    free(view->marks);
}

/* ------------------------------------------------------------------------------------------ numbers */

double wave_step(double span, double count)
{
    double step = 1;
    while (step * 10 * count <= span) step *= 10;
    while (step * count > span && step > 1) step /= 10;
    if (step * 5 * count <= span) return step * 5;
    if (step * 2 * count <= span) return step * 2;
    return step;
}

void wave_time(double picoseconds, double step, char *text, size_t room)
{
    static const struct {
        const char *name;
        double factor;
    } units[] = {{"s", 1e12}, {"ms", 1e9}, {"us", 1e6}, {"ns", 1e3}, {"ps", 1}};
    unsigned u = 0;
    int digits = 0;
    while (u < 4 && picoseconds < units[u].factor * 0.9995 && step < units[u].factor) u++;
    for (double rest = step; digits < 9 && rest < units[u].factor * 0.9999; rest *= 10) digits++;
    snprintf(text, room, "%.*f %s", digits, picoseconds / units[u].factor, units[u].name);
}

void wave_measured(const wave_row *row, char *text, size_t room)
{
    char time[40];
    *text = 0;
    if (!(row->period > 0)) {
        if (row->rises > 1) snprintf(text, room, "rises %zu times", row->rises);
        return;
    }
    wave_time(row->period, row->period / 1000, time, sizeof time);
    snprintf(text, room, "every %s, high %.1f %%", time, row->high * 100);
}

/* ------------------------------------------------------------------------------------------ the command */

static bool read_moment(cli *self, const char *option, const char *text, uint64_t *picoseconds)
{
    if (oak_read_time(text, strlen(text), picoseconds) == OAK_OK) return true;
    cli_usage(self, &command_wave, "Write it as 150ms, 2.5us, 1s.", "--%s: `%s` is no time", option, text);
    return false;
}

/* A level a character, the highest bit first: 0, 1, z (nobody drives it) or x (not known). */
static void level_text(const wave_row *row, const wave_piece *piece, char *text)
{
    for (unsigned bit = row->bits; bit-- > 0;) {
        bool value = piece->value >> bit & 1, other = piece->other >> bit & 1;
        *text++ = other ? (value ? 'x' : 'z') : value ? '1' : '0';
    }
    *text = 0;
}

static cJSON *document_of(const wave_view *view, const char *picture)
{
    cJSON *document = cJSON_CreateObject();
    if (picture) cJSON_AddStringToObject(document, "picture", picture);
    cJSON_AddNumberToObject(document, "from_ps", (double)view->from);
    cJSON_AddNumberToObject(document, "to_ps", (double)view->to);
    cJSON *signals = cJSON_AddArrayToObject(document, "signals"),
          *marks = cJSON_AddArrayToObject(document, "marks");
    for (unsigned r = 0; r < view->row_count; r++) {
        const wave_row *row = &view->rows[r];
        cJSON *one = cJSON_CreateObject();
        cJSON_AddStringToObject(one, "name", row->name);
        cJSON_AddNumberToObject(one, "bits", row->bits);
        if (row->period > 0) {
            cJSON_AddNumberToObject(one, "period_ps", row->period);
            cJSON_AddNumberToObject(one, "high", row->high);
        }
        cJSON *levels = cJSON_AddArrayToObject(one, "levels");
        for (size_t i = 0; i < row->count; i++) {
            char text[40];
            cJSON *level = cJSON_CreateObject();
            level_text(row, &row->pieces[i], text);
            cJSON_AddNumberToObject(level, "from_ps", (double)row->pieces[i].from);
            cJSON_AddStringToObject(level, "level", text);
            cJSON_AddItemToArray(levels, level);
        }
        cJSON_AddItemToArray(signals, one);
    }
    for (size_t i = 0; i < view->mark_count; i++) {
        cJSON *one = cJSON_CreateObject();
        cJSON_AddStringToObject(one, "name", view->marks[i].name);
        cJSON_AddNumberToObject(one, "at_ps", (double)view->marks[i].time);
        cJSON_AddItemToArray(marks, one);
    }
    return document;
}

static int show(cli *self, const oak_trace *trace, const char *title, const wave_options *options)
{
    wave_view view = {.trace = trace, .title = title, .stop = options->stop};
    view.to = oak_trace_picoseconds(trace, oak_trace_end(trace));
    if (options->from && !read_moment(self, "from", options->from, &view.from)) return EXIT_USAGE;
    if (options->to && !read_moment(self, "to", options->to, &view.to)) return EXIT_USAGE;
    if (view.to <= view.from)
        return cli_usage(self, &command_wave, "--from and --to choose a stretch of what was recorded.",
                         "there is nothing to show: the window ends where it begins");
    int exit_code = EXIT_REFUSED;
    if (wave_open(self, &view, options->only)) {
        if (!view.row_count)
            cli_complain(self, "no-signal", NULL, "Record some: --record p1, --record pins.",
                         "there are no signals");
        else if (options->out)
            exit_code = wave_draw(self, &view, options->out, options->width, options->height) ? EXIT_DONE
                                                                                              : EXIT_REFUSED;
        else {
            struct winsize size = {0};
            unsigned columns = 100;
            if (isatty(1) && ioctl(1, TIOCGWINSZ, &size) == 0 && size.ws_col >= 40) columns = size.ws_col;
            wave_print(self, &view, columns);
            exit_code = EXIT_DONE;
        }
        if (view.row_count && self->json) cli_print_json(self, document_of(&view, options->out));
    }
    wave_close(&view);
    return exit_code;
}

/* A file that ends in .vcd is a dump. */
static bool takes(cli *self, const char **files, void *context, int *exit_code)
{
    size_t length = strlen(files[0]), size;
    uint8_t *bytes;
    if (length < 4 || strcasecmp(files[0] + length - 4, ".vcd") != 0) return false;
    if (files[1]) {
        *exit_code = cli_usage(self, &command_wave, NULL, "one dump can be shown at a time");
        return true;
    }
    oak_status status = self->host.read_file(self->host.context, files[0], (size_t)1 << 30, &bytes, &size);
    if (status) {
        cli_complain(self, "no-file", files[0], "`spindle run --dump F.vcd` writes one.",
                     status == OAK_NOT_FOUND ? "there is no such dump" : oak_status_text(status));
        *exit_code = EXIT_REFUSED;
        return true;
    }
    oak_trace *trace = NULL;
    status = oak_trace_read_vcd(&self->host, bytes ? (const char *)bytes : "", size, files[0], &self->sink,
                                &trace);
    *exit_code = cli_failed(self, status, files[0]);
    if (!status) *exit_code = show(self, trace, files[0], context);
    oak_trace_free(trace);
    if (bytes) self->host.resize(self->host.context, bytes, size, 0);
    return true;
}

/* Without --record every named pin is recorded. */
static int prepare(cli *self, oak_session *session, void *context)
{
    (void)context;
    const oak_trace *trace = oak_session_trace(session);
    const oak_trace_signal *signal;
    for (unsigned i = 0; trace && (signal = oak_trace_signal_at(trace, i)); i++)
        if (!signal->is_event) return EXIT_DONE;
    return cli_failed(self, oak_session_record(session, "pins", &self->sink), "wave");
}

static int finish(cli *self, oak_session *session, const char *path, void *context)
{
    const oak_event *event = oak_session_last_event(session);
    char title[300];
    snprintf(title, sizeof title, "%s on %s", path, oak_session_part(session)->name);
    if (event->stop.reason == OAK_STOP_FAULT) {
        char sentence[300];
        oak_fault_sentence(session, &event->stop, sentence, sizeof sentence);
        cli_complain(self, "fault", path, NULL, sentence);
    }
    wave_options *options = context;
    if (event->stop.reason == OAK_STOP_POINT)
        options->stop = oak_session_stop_point(session, (unsigned)event->stop_point)->text;
    if (event->stop.reason == OAK_STOP_FAULT) options->stop = oak_fault_word(event->stop.fault);
    return show(self, oak_session_trace(session), title, options);
}

static int run(cli *self, int argc, const char **argv)
{
    wave_options options = {.width = 1280};
    const struct poptOption table[] = {
        {"out", 'o', POPT_ARG_STRING, &options.out, 0, NULL, NULL},
        {"from", 0, POPT_ARG_STRING, &options.from, 0, NULL, NULL},
        {"to", 0, POPT_ARG_STRING, &options.to, 0, NULL, NULL},
        {"only", 0, POPT_ARG_ARGV, &options.only, 0, NULL, NULL},
        {"width", 0, POPT_ARG_INT, &options.width, 0, NULL, NULL},
        {"height", 0, POPT_ARG_INT, &options.height, 0, NULL, NULL},
        POPT_TABLEEND,
    };
    const cli_runner runner = {.of = &command_wave,
                               .options = table,
                               .context = &options,
                               .takes = takes,
                               .prepare = prepare,
                               .finish = finish};
    int exit_code = cli_run(self, &runner, argc, argv);
    free(options.out);
    free(options.from);
    free(options.to);
    for (char **one = options.only; one && *one; one++) free(*one);
    free(options.only);
    return exit_code;
}

const command command_wave = {
    "wave",
    "show signals over time, from a run or a dump, as a picture or as text",
    "usage: spindle wave PROGRAM... --part PART [options of run] [-o FILE]\n"
    "       spindle wave DUMP.vcd [options] [-o FILE]\n"
    "\n"
    "Draws pins, ports and values over time: as a picture when -o names a file that ends in\n"
    ".png or .svg, else as text. Given a program, it runs it as `spindle run` does, with the\n"
    "same options, and shows what was recorded; given a value-change dump (IEEE 1364, from\n"
    "`spindle run --dump` or anywhere else), it shows that.\n"
    "\n"
    "  -o, --out FILE        a picture: PNG or SVG, by its ending\n"
    "      --from T          where the window begins: 140ms; usually the beginning\n"
    "      --to T            where it ends; usually the end of what was recorded\n"
    "      --only NAME       show this signal only; repeat for more, in the order wanted\n"
    "      --width N         pixels, 400 to 8000; usually 1280\n"
    "      --height N        pixels; usually as many as the signals need, up to 800\n"
    "      --json            as one JSON document: signals with their levels and times\n"
    "\n"
    "of the options of run, these matter most here:\n"
    "      --record WHAT     a pin, a port, an expression, or `pins` (all that have a name,\n"
    "                        which is usual)\n"
    "      --mark PLACE      draw a line each time this place is reached\n"
    "      --time T, --stop-at PLACE, --drive WAVE, --stimuli FILE\n"
    "\n"
    "examples:\n"
    "  spindle wave lathe.asm --part mcs51-8k --time 200ms --stimuli door.txt -o lathe.png\n"
    "  spindle run lathe.asm --part mcs51-8k --time 200ms --dump lathe.vcd\n"
    "  spindle wave lathe.vcd --from 140ms --to 160ms --only relay --only door\n",
    run,
};
