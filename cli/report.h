/* report.h — the parts of what is printed when a run has ended. */
#ifndef SPINDLE_REPORT_H
#define SPINDLE_REPORT_H

#include "cli.h"

void report_title(cli *self, const char *text);

/* report_chip.c */
void report_registers(cli *self, oak_session *session);
void report_specials(cli *self, oak_session *session);
void report_ports(cli *self, oak_session *session);

/* report_output.c: bytes as text; and what was sent, false when there is nothing that is not shown elsewhere. */
void report_bytes(const uint8_t *bytes, size_t count);
bool report_output(cli *self, oak_session *session, oak_board *board, bool timed);

#endif
