/* running.h — a case under way, shared by trial.c and conditions.c. */
#ifndef OAK_TRIAL_RUNNING_H
#define OAK_TRIAL_RUNNING_H

#include "trial/trial_state.h"

enum { TRIAL_MOST_PINS = 6, TRIAL_LONGEST_OUTPUT = 1 << 20, TRIAL_MOST_OUTPUTS = 8 };

/* An event somebody waits for: a place is reached, or an expression becomes true. */
typedef struct trial_event {
    const char *expression; /* NULL: a place */
    char text[TRIAL_LONGEST];
    uint32_t place;
    bool was; /* it held when it was looked at last */
    bool is_place;
    /* Nothing but pins is asked, few of them: it is looked at whenever one of them changes, and the run goes on. */
    bool is_pins;
    unsigned pin_count;
    uint16_t pins[TRIAL_MOST_PINS];
    uint64_t
        table; /* what it is for all their levels, the first pin's the lowest bit of the number of the bit */
} trial_event;

/* What has become of an expectation so far. */
typedef struct trial_progress {
    trial_event event, condition, *order;
    unsigned step, order_count;        /* of an order */
    bool done, pending, based, broken; /* broken: at the cycle `at` */
    uint64_t deadline, at, since;      /* cycles */
    uint32_t place;
    unsigned lap;
    int64_t base;          /* the stack pointer it is measured from */
    uint64_t most;         /* the longest it took so far */
    const char **recorded; /* names of signals, of a run that is held against another */
    unsigned recorded_count;
    bool sends; /* and what was sent */
} trial_progress;

/* How far a case has come. */
typedef enum trial_stage {
    TRIAL_NEW,
    TRIAL_PLACED, /* a routine alone stands before its call */
    TRIAL_BEGUN   /* what is common to all cases is given, and what is expected is looked at */
} trial_stage;

typedef struct trial_running {
    oak_trials *trials;
    const trial *one;
    uint64_t number;
    oak_session *session;
    oak_board *board;
    const oak_diag_sink *sink;
    const oak_part *part;
    oak_chip_port chip;
    oak_trial_result *result;
    trial_progress list[TRIAL_MOST_EXPECTATIONS];
    trial_event events[TRIAL_MOST_EVENTS * 2]; /* of orders */
    unsigned event_count;
    struct {
        const char *name;
        uint8_t *bytes;
        uint64_t *at; /* when each had gone out: the cycle */
        size_t count, room;
    } output[TRIAL_MOST_OUTPUTS];
    unsigned output_count;
    const trial_text *reads; /* what is being read: mistakes are told there */
    uint32_t kept[64];       /* registers when it began */
    uint8_t level[OAK_MOST_PORTS * OAK_MOST_PINS];
    bool looks; /* at pins */
    trial_stage stage;
    oak_budget budget;
    oak_event ended;
    uint64_t length, end; /* cycles it runs at most; the one at which it ends */
    uint32_t back;        /* where a routine alone returns to */
} trial_running;

/* trial.c: the result is a failure from now on. */
void trial_fail(trial_running *r, const trial_expectation *what, const char *format, ...) OAK_PRINTF(3, 4);
/* A text with the values of the case put in; OAK_REFUSED after a diagnostic. */
oak_status trial_filled(trial_running *r, const trial_text *from, bool bare, char *text);

/* golden.c */
oak_status trial_begin_golden(trial_running *r, const trial_expectation *what, trial_progress *p);
oak_status trial_expect_golden(trial_running *r, const trial_expectation *what, const trial_progress *p);

/* conditions.c: mistakes in what a trial says are told where it stands; nobody is told. */
oak_diag_sink trial_sink(trial_running *r, const trial_text *reads);
uint64_t trial_cycles(const trial_running *r, const trial_span *span);
/* Takes what a serial port has sent since. */
void trial_take_output(trial_running *r, unsigned number);
/* A text of a stand-in or a serial port: 1 and 0: it is such a condition, and holds or not; -1: it is none; -2: refused. */
int trial_text_holds(trial_running *r, const trial_text *from, const char *condition, char *found,
                     size_t room);
/* Whether a condition holds now, and what was found where it does not. */
oak_status trial_holds(trial_running *r, const trial_text *from, const char *condition, bool *result,
                       char *found, size_t room);
void trial_tell_sides(trial_running *r, const char *condition, char *found, size_t room);
/* Works out what an expression of few pins is for all their levels; false where it is none. */
bool trial_make_table(trial_running *r, trial_event *e);
void trial_look_at_pins(trial_running *r);
void trial_pin_changed(void *context, unsigned pin, oak_level level, uint64_t cycle);

#endif
