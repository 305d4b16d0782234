/* bench.h — the bench: verbs over one session, for a typed console and for whatever else takes them. */
#ifndef SPINDLE_BENCH_H
#define SPINDLE_BENCH_H

#include "cli.h"

enum { BENCH_MOST_KEPT = 20 };
typedef struct bench {
    cli *self;
    oak_session *session;
    oak_board *board; /* or NULL */
    const char *path;
    double pace;  /* 0: as fast as it goes */
    bool bounded; /* a run without bounds ends after a while: nobody is there to end it */
    bool quits, again;
    unsigned failures;           /* verbs that could not be done */
    char *kept[BENCH_MOST_KEPT]; /* expressions that are shown again and again */
    unsigned kept_count;
    bool view; /* the full-screen view shows things by itself */
    unsigned memory_space;
    uint32_t memory_from, memory_to;
    char *said[BENCH_MOST_KEPT]; /* what is said at places */
    unsigned said_count;
    void (*moved)(struct bench *b); /* NULL, or: the chip moves slowly, and somebody looks on */
    oak_budget inner;
} bench;
/* The same change seen through another name: ACC for a, iram[0x00] for r0. */
bool bench_is_a_register(const oak_part *part, const oak_change *changes, size_t number);

typedef struct bench_verb {
    const char *name;
    const char *arguments; /* as help shows them */
    const char *help;      /* one line */
    const char *example;
    /* False after a message. `rest` is what stands behind the verb. */
    bool (*run)(bench *b, const char *rest);
    bool moves; /* the chip may be somewhere else behind it: where is told */
} bench_verb;

extern const bench_verb bench_verbs[];
/* The verb a word means: the whole of it, or a beginning that only one has. NULL after a message. */
const bench_verb *bench_find_verb(bench *b, const char *word, size_t length);
/* Does one line. */
bool bench_do(bench *b, const char *line);
/* Where the chip is, and what has changed since the last time. */
void bench_tell(bench *b);

/* view.c: the full-screen view, until somebody leaves it. False when the terminal cannot do it. */
bool bench_view(bench *b);

#endif
