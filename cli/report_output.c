/* report_output.c — what went out of the serial ports, as text and with its times. */
#include "cli.h"
#include "report.h"
#include <stdlib.h>
#include <string.h>

/* Bytes as text. */
void report_bytes(const uint8_t *bytes, size_t count)
{
    printf("  ");
    for (size_t b = 0; b < count; b++) {
        if (bytes[b] == '\n' && b + 1 < count) printf("\n  ");
        else if (bytes[b] >= ' ' && bytes[b] < 127) putchar(bytes[b]);
        else if (bytes[b] != '\r' && bytes[b] != '\n') printf("\\x%02x", bytes[b]);
    }
    putchar('\n');
}

/* The same with the time of each row: a new one begins behind the end of a line, a pause, or when it is long. */
static void print_timed(oak_session *session, const uint8_t *bytes, const uint64_t *cycles, size_t count)
{
    enum { LONGEST = 48, PAUSE = 4 };
    uint64_t usual = count > 1 ? cycles[1] - cycles[0] : 0;
    for (size_t from = 0, to; from < count; from = to) {
        char time[60];
        for (to = from + 1; to < count && to - from < LONGEST && bytes[to - 1] != '\n'; to++) {
            uint64_t gap = cycles[to] - cycles[to - 1];
            if (gap > PAUSE * usual) break;
            if (gap < usual) usual = gap;
        }
        oak_write_time(cycles[from], oak_session_clock(session), oak_session_part(session)->clocks_per_cycle,
                       time, sizeof time);
        printf("  %12s", time);
        report_bytes(bytes + from, to - from);
    }
}

/* A terminal of the board has received just these bytes. */
static bool somebody_got(oak_board *board, const uint8_t *bytes, size_t count)
{
    oak_stand_in *one;
    for (unsigned i = 0; (one = oak_board_stand_in(board, i)); i++) {
        size_t got;
        const uint8_t *printed = oak_stand_in_printed(one, &got);
        if (got == count && memcmp(printed, bytes, count) == 0) return true;
    }
    return false;
}

/* What went out of the serial ports since it was asked last, as text. False: nothing that is not shown elsewhere. */
bool report_output(cli *self, oak_session *session, oak_board *board, bool timed)
{
    enum { ROOM = 65536 };
    const oak_part *part = oak_session_part(session);
    oak_chip_port chip = oak_session_chip(session);
    uint8_t *bytes = chip.ops->take_output ? cli_malloc(ROOM) : NULL;
    uint64_t *cycles = timed && bytes && chip.ops->sent_at ? cli_malloc(ROOM * sizeof *cycles) : NULL;
    unsigned line = 0;
    bool any = false;
    for (unsigned i = 0; bytes && i < part->block_count; i++) {
        size_t count = 0, known = 0;
        char heading[100];
        if (!oak_block_sends(part->blocks[i].kind)) continue;
        if (cycles && chip.ops->sent_at(chip.chip, line, cycles, ROOM, &known)) known = 0;
        if (chip.ops->take_output(chip.chip, line++, bytes, ROOM, &count) || !count) continue;
        if (!timed && board && somebody_got(board, bytes, count)) continue; /* it is shown there */
        snprintf(heading, sizeof heading, "Sent by %s, %zu bytes", part->blocks[i].name, count);
        report_title(self, heading);
        if (known == count) print_timed(session, bytes, cycles, count);
        else report_bytes(bytes, count);
        any = true;
    }
    free(cycles);
    free(bytes);
    return any;
}

cJSON *cli_json_sent(oak_session *session)
{
    enum { ROOM = 65536 };
    const oak_part *part = oak_session_part(session);
    oak_chip_port chip = oak_session_chip(session);
    cJSON *list = cJSON_CreateArray();
    uint8_t *bytes = chip.ops->take_output ? cli_malloc(ROOM) : NULL;
    uint64_t *cycles = bytes && chip.ops->sent_at ? cli_malloc(ROOM * sizeof *cycles) : NULL;
    unsigned line = 0;
    for (unsigned i = 0; bytes && i < part->block_count; i++) {
        size_t count = 0, known = 0;
        if (!oak_block_sends(part->blocks[i].kind)) continue;
        if (cycles && chip.ops->sent_at(chip.chip, line, cycles, ROOM, &known)) known = 0;
        if (chip.ops->take_output(chip.chip, line++, bytes, ROOM, &count) || !count) continue;
        cJSON *one = cJSON_CreateObject();
        cJSON_AddStringToObject(one, "by", part->blocks[i].name);
        cJSON *list_of = cJSON_AddArrayToObject(one, "bytes");
        for (size_t b = 0; b < count; b++) cJSON_AddItemToArray(list_of, cJSON_CreateNumber(bytes[b]));
        list_of = known == count ? cJSON_AddArrayToObject(one, "cycles") : NULL;
        for (size_t b = 0; list_of && b < count; b++)
            cJSON_AddItemToArray(list_of, cJSON_CreateNumber((double)cycles[b]));
        cJSON_AddItemToArray(list, one);
    }
    free(cycles);
    free(bytes);
    return list;
}
