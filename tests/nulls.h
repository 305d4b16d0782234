/* nulls.h — between the calls that tests/null_calls makes of the public headers and the test that runs them. */
#ifndef NULLS_H
#define NULLS_H

#include <oakspindle/oakspindle.h>

typedef struct nulls_call {
    const char *function, *parameter;
    long (*call)(void);
    long expected;
} nulls_call;
extern const nulls_call nulls_calls[]; /* ends with a function NULL */
extern const unsigned nulls_functions;

/* What is valid. */
typedef struct nulls_given {
    oak_opened it;
    oak_image *image;
    oak_board *board;
    oak_stand_in *stand_in;
    oak_trace *trace;
    oak_trials *trials;
    oak_diag_sink sink;
    oak_text_sink out;
    oak_budget budget;
    oak_outside outside;
    oak_part_field field;
} nulls_given;
extern nulls_given nulls;
extern const char nulls_source[], nulls_text[];
extern unsigned char nulls_room[4096]; /* zeros, for all that is written or plain data */
void nulls_function(void);

#endif
