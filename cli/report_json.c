/* report_json.c — runs, values, stops and boards as JSON, for `run --json` and the answers of the bench. */
#include <stdlib.h>
#include <string.h>

#include "cli.h"

cJSON *cli_json_change_list(oak_session *session, const oak_change *changes, size_t count)
{
    const oak_part *part = oak_session_part(session);
    cJSON *list = cJSON_CreateArray();
    for (size_t i = 0; i < count; i++) {
        cJSON *change = cJSON_CreateObject();
        cJSON_AddStringToObject(change, "space",
                                changes[i].space ? part->architecture->spaces[changes[i].space].name
                                                 : "register");
        if (changes[i].space) cJSON_AddNumberToObject(change, "at", changes[i].address);
        else cJSON_AddStringToObject(change, "name", part->architecture->registers[changes[i].address].name);
        cJSON_AddNumberToObject(change, "before", changes[i].before);
        cJSON_AddNumberToObject(change, "after", changes[i].after);
        cJSON_AddItemToArray(list, change);
    }
    return list;
}

cJSON *cli_json_changes(oak_session *session)
{
    enum { MOST = 1000 };
    static oak_change changes[MOST];
    size_t count;
    if (oak_session_changes(session, changes, MOST, &count)) count = 0;
    return cli_json_change_list(session, changes, count < MOST ? count : MOST);
}

cJSON *cli_json_show(cli *self, oak_session *session, const show_item *item)
{
    cJSON *entry = cJSON_CreateObject();
    cJSON_AddStringToObject(entry, "what", item->text);
    oak_chip_port chip = oak_session_chip(session);
    if (item->is_range) {
        cJSON *bytes = cJSON_AddArrayToObject(entry, "bytes");
        for (uint64_t at = item->from; at <= item->to; at++) {
            uint8_t byte = 0;
            chip.ops->read_memory(chip.chip, item->space, (uint32_t)at, &byte, 1);
            cJSON_AddItemToArray(bytes, cJSON_CreateNumber(byte));
        }
    } else if (strcmp(item->expression, "changes") == 0) {
        cJSON *list = cli_json_changes(session);
        cJSON_AddItemToObject(entry, "changes", list);
        cJSON_AddNumberToObject(entry, "count", cJSON_GetArraySize(list));
    } else if (cli_shows_chips(item->expression) && cli_has_chips(oak_session_part(session))) {
        const char *names = cli_shows_chips(item->expression);
        cJSON_AddItemToObject(entry, "chips", cli_json_chips(session, *names ? names : NULL));
    } else {
        oak_reading reading;
        if (oak_session_value(session, item->expression, &self->sink, &reading) == OAK_OK)
            cJSON_AddNumberToObject(entry, "value", (double)reading.value);
    }
    return entry;
}

cJSON *cli_json_stop_points(oak_session *session)
{
    const oak_stop_point *point;
    cJSON *list = cJSON_CreateArray();
    for (unsigned i = 0; (point = oak_session_stop_point(session, i)); i++) {
        if (point->removed) continue;
        cJSON *item = cJSON_CreateObject();
        cJSON_AddNumberToObject(item, "number", i);
        cJSON_AddStringToObject(item, "place", point->text);
        cJSON_AddNumberToObject(item, "at", point->address);
        if (point->condition) cJSON_AddStringToObject(item, "condition", point->condition);
        cJSON_AddNumberToObject(item, "every", (double)point->every);
        cJSON_AddBoolToObject(item, "enabled", point->enabled);
        cJSON_AddNumberToObject(item, "hits", (double)point->hits);
        cJSON_AddItemToArray(list, item);
    }
    return list;
}

cJSON *cli_json_laps(oak_session *session)
{
    const oak_lap *lap;
    cJSON *list = cJSON_CreateArray();
    for (unsigned i = 0; (lap = oak_session_lap(session, i)); i++) {
        cJSON *item = cJSON_CreateObject();
        cJSON_AddStringToObject(item, "from", lap->from);
        cJSON_AddStringToObject(item, "to", lap->to);
        cJSON_AddNumberToObject(item, "count", (double)lap->count);
        cJSON_AddNumberToObject(item, "last", (double)lap->last);
        cJSON_AddNumberToObject(item, "shortest", (double)lap->shortest);
        cJSON_AddNumberToObject(item, "longest", (double)lap->longest);
        cJSON_AddNumberToObject(item, "mean", lap->count ? (double)lap->total / (double)lap->count : 0);
        cJSON *bins = cJSON_AddArrayToObject(item, "histogram");
        for (unsigned b = 0; b < OAK_LAP_BINS; b++) {
            if (!lap->bins[b]) continue;
            cJSON *bin = cJSON_CreateObject();
            cJSON_AddNumberToObject(bin, "from", (double)(lap->bin_from + b * lap->bin_width));
            cJSON_AddNumberToObject(bin, "to", (double)(lap->bin_from + (b + 1) * lap->bin_width - 1));
            cJSON_AddNumberToObject(bin, "count", (double)lap->bins[b]);
            cJSON_AddItemToArray(bins, bin);
        }
        cJSON_AddItemToArray(list, item);
    }
    return list;
}

cJSON *cli_json_board(oak_board *board)
{
    oak_stand_in *one;
    cJSON *list = cJSON_CreateArray();
    for (unsigned i = 0; (one = oak_board_stand_in(board, i)); i++) {
        char text[1000];
        size_t count;
        const uint8_t *bytes = oak_stand_in_printed(one, &count);
        cJSON *item = cJSON_CreateObject();
        oak_stand_in_show(one, text, sizeof text);
        cJSON_AddStringToObject(item, "name", oak_stand_in_name(one));
        cJSON_AddStringToObject(item, "kind", oak_stand_in_kind_of(one)->name);
        cJSON_AddStringToObject(item, "shows", text);
        if (count) {
            cJSON *printed = cJSON_AddArrayToObject(item, "received");
            for (size_t b = 0; b < count; b++) cJSON_AddItemToArray(printed, cJSON_CreateNumber(bytes[b]));
        }
        cJSON_AddItemToArray(list, item);
    }
    return list;
}

cJSON *cli_json_noticed(oak_session *session)
{
    const oak_noticed *noticed;
    cJSON *list = cJSON_CreateArray();
    for (unsigned i = 0; (noticed = oak_session_noticed(session, i)); i++) {
        char sentence[300];
        cJSON *item = cJSON_CreateObject();
        oak_notice_sentence(session, &noticed->first, sentence, sizeof sentence);
        cJSON_AddStringToObject(item, "what", oak_fault_word(noticed->first.fault));
        cJSON_AddNumberToObject(item, "cycle", (double)noticed->first.cycle);
        cJSON_AddNumberToObject(item, "pc", noticed->first.pc);
        cJSON_AddNumberToObject(item, "address", noticed->first.address);
        cJSON_AddNumberToObject(item, "count", (double)noticed->count);
        cJSON_AddStringToObject(item, "sentence", sentence);
        cJSON_AddItemToArray(list, item);
    }
    return list;
}

cJSON *cli_json_interrupts(oak_session *session)
{
    oak_chip_port chip = oak_session_chip(session);
    oak_service service;
    cJSON *list = cJSON_CreateArray();
    for (unsigned i = 0; chip.ops->service && chip.ops->service(chip.chip, i, &service) == OAK_OK; i++) {
        cJSON *item = cJSON_CreateObject();
        cJSON_AddStringToObject(item, "name", cli_vector_name(session, service.vector));
        cJSON_AddNumberToObject(item, "vector", service.vector);
        cJSON_AddNumberToObject(item, "count", (double)service.count);
        cJSON_AddNumberToObject(item, "cycles", (double)service.cycles);
        cJSON_AddNumberToObject(item, "longest", (double)service.longest);
        if (service.waits) {
            cJSON *latency = cJSON_AddObjectToObject(item, "latency");
            cJSON_AddNumberToObject(latency, "count", (double)service.waits);
            cJSON_AddNumberToObject(latency, "shortest", (double)service.shortest_wait);
            cJSON_AddNumberToObject(latency, "longest", (double)service.longest_wait);
            cJSON_AddNumberToObject(latency, "mean", (double)service.waited / (double)service.waits);
        }
        cJSON_AddItemToArray(list, item);
    }
    return list;
}

void cli_json_fault(oak_session *session, cJSON *into)
{
    const oak_stop *stop = &oak_session_last_event(session)->stop;
    char text[300];
    if (stop->reason != OAK_STOP_FAULT) return;
    oak_fault_sentence(session, stop, text, sizeof text);
    cJSON_AddStringToObject(into, "fault_text", text);
    if (!stop->fault_taken) return;
    oak_session_name_place(session, stop->fault_pc, text, sizeof text);
    cJSON_AddNumberToObject(into, "came_from", stop->fault_pc);
    cJSON_AddStringToObject(into, "came_from_place", text);
}

void cli_report_json(cli *self, oak_session *session, const cli_reported *what)
{
    cli_text text = {0};
    oak_text_sink sink = cli_text_sink(&text);
    cJSON *root = oak_session_write_state(session, &sink) == OAK_OK
                      ? cJSON_ParseWithLength(text.bytes, text.size)
                      : NULL;
    free(text.bytes);
    if (!root) root = cJSON_CreateObject();
    const oak_event *event = oak_session_last_event(session);
    const oak_program *program = oak_session_program(session);
    cJSON *stop = cJSON_GetObjectItemCaseSensitive(root, "stop");
    char place[120];
    oak_line line;
    oak_session_name_place(session, event->stop.pc, place, sizeof place);
    cJSON_AddStringToObject(stop, "place", place);
    cli_json_fault(session, stop);
    if (program && oak_program_line_at(program, event->stop.pc, &line) == OAK_OK) {
        cJSON_AddStringToObject(stop, "file", line.file);
        cJSON_AddNumberToObject(stop, "line", line.line);
    }
    cJSON_AddItemToObject(root, "stop_points", cli_json_stop_points(session));
    cJSON_AddItemToObject(root, "noticed", cli_json_noticed(session));
    cJSON_AddItemToObject(root, "interrupts", cli_json_interrupts(session));
    cJSON_AddItemToObject(root, "laps", cli_json_laps(session));
    if (cli_has_chips(oak_session_part(session)))
        cJSON_AddItemToObject(root, "chips", cli_json_chips(session, NULL));
    if (what->board) cJSON_AddItemToObject(root, "board", cli_json_board(what->board));
    cJSON_AddItemToObject(root, "sent", cli_json_sent(session));
    cJSON *list = cJSON_AddArrayToObject(root, "show");
    for (unsigned i = 0; i < what->show_count; i++)
        cJSON_AddItemToArray(list, cli_json_show(self, session, &what->shows[i]));
    cli_print_json(self, root);
}
