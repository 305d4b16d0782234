/* two_ends.c — both ends of a line, taking turns. */
#include "two_ends.h"

enum { MOST_QUEUED = 1 << 16 };

typedef struct one_end {
    two_ends *ends;
    unsigned number;
    uint8_t queue[MOST_QUEUED]; /* what comes to it */
    size_t head, tail;
    bool waits, sleeps, gone; /* who sleeps is not woken by what comes */
    uint64_t until;           /* microseconds */
    end_fn run;
    void *context;
    int result;
} one_end;

struct two_ends {
    pthread_mutex_t lock;
    pthread_cond_t turns;
    one_end end[2];
    unsigned turn;
    uint64_t now, sent, breaks_at;
    weather weather;
};

static bool one_in(two_ends *ends, uint32_t many)
{
    return many && random32(&ends->weather.seed) % many == 0;
}

static void put(one_end *to, uint8_t byte)
{
    if (to->tail - to->head < MOST_QUEUED) to->queue[to->tail++ % MOST_QUEUED] = byte;
}

static oak_status send_bytes(void *line, const uint8_t *bytes, size_t count)
{
    one_end *self = line;
    two_ends *ends = self->ends;
    one_end *other = &ends->end[!self->number];
    for (size_t i = 0; i < count; i++) {
        uint8_t byte = bytes[i];
        if (ends->breaks_at && ends->sent++ >= ends->breaks_at) return OAK_IO_ERROR;
        if (other->gone || one_in(ends, ends->weather.lost)) continue;
        if (one_in(ends, ends->weather.flipped)) byte ^= (uint8_t)(1 << random32(&ends->weather.seed) % 8);
        put(other, byte);
        if (one_in(ends, ends->weather.doubled)) put(other, byte);
    }
    return OAK_OK;
}

/* The other one goes on, if it is not waiting for something that has not come; then time has passed. */
static void give_turn(one_end *self)
{
    two_ends *ends = self->ends;
    one_end *other = &ends->end[!self->number];
    bool called = !other->waits || (!other->sleeps && other->head != other->tail);
    if (!other->gone && (called || other->until <= self->until)) {
        ends->turn = other->number;
        if (!called && other->until > ends->now) ends->now = other->until;
        pthread_cond_broadcast(&ends->turns);
        while (ends->turn != self->number) pthread_cond_wait(&ends->turns, &ends->lock);
    } else if (self->until > ends->now) ends->now = self->until;
}

static oak_status receive(void *line, uint8_t *bytes, size_t room, uint32_t wait_ms, size_t *count)
{
    one_end *self = line;
    two_ends *ends = self->ends;
    *count = 0;
    if (ends->breaks_at && ends->sent >= ends->breaks_at) return OAK_IO_ERROR;
    self->until = ends->now + wait_ms * 1000ull;
    self->waits = true;
    while (wait_ms && self->head == self->tail && ends->now < self->until) give_turn(self);
    self->waits = false;
    while (*count < room && self->head != self->tail)
        bytes[(*count)++] = self->queue[self->head++ % MOST_QUEUED];
    if (ends->breaks_at && ends->sent >= ends->breaks_at) return OAK_IO_ERROR;
    return OAK_OK;
}

void two_ends_wait(two_ends *ends, unsigned number, uint64_t microseconds)
{
    one_end *self = &ends->end[number];
    self->until = ends->now + microseconds;
    self->waits = self->sleeps = true;
    while (ends->now < self->until) give_turn(self);
    self->waits = self->sleeps = false;
}

static const oak_line_ops ops = {.send = send_bytes, .receive = receive};

two_ends *two_ends_open(const weather *of)
{
    two_ends *ends = calloc(1, sizeof *ends);
    pthread_mutex_init(&ends->lock, NULL);
    pthread_cond_init(&ends->turns, NULL);
    if (of) ends->weather = *of;
    for (unsigned i = 0; i < 2; i++) ends->end[i] = (one_end){.ends = ends, .number = i};
    return ends;
}

oak_line_port two_ends_line(two_ends *ends, unsigned number)
{
    return (oak_line_port){&ends->end[number], &ops};
}

static void *live(void *context)
{
    one_end *self = context;
    two_ends *ends = self->ends;
    pthread_mutex_lock(&ends->lock);
    while (ends->turn != self->number) pthread_cond_wait(&ends->turns, &ends->lock);
    self->result = self->run(self->context);
    self->gone = true;
    ends->turn = !self->number;
    pthread_cond_broadcast(&ends->turns);
    pthread_mutex_unlock(&ends->lock);
    return NULL;
}

void two_ends_run(two_ends *ends, end_fn first, void *of_first, end_fn second, void *of_second,
                  int results[2])
{
    pthread_t thread[2];
    end_fn run[] = {first, second};
    void *context[] = {of_first, of_second};
    ends->turn = 0;
    for (unsigned i = 0; i < 2; i++) {
        ends->end[i].run = run[i];
        ends->end[i].context = context[i];
        ends->end[i].gone = ends->end[i].waits = false;
    }
    for (unsigned i = 0; i < 2; i++) pthread_create(&thread[i], NULL, live, &ends->end[i]);
    for (unsigned i = 0; i < 2; i++) {
        pthread_join(thread[i], NULL);
        results[i] = ends->end[i].result;
    }
}

bool two_ends_is_alone(two_ends *ends, unsigned number)
{
    return ends->end[!number].gone;
}

uint64_t two_ends_now(const two_ends *ends)
{
    return ends->now;
}

void two_ends_break(two_ends *ends, uint64_t bytes)
{
    ends->breaks_at = bytes;
    ends->sent = 0;
}

void two_ends_close(two_ends *ends)
{
    pthread_mutex_destroy(&ends->lock);
    pthread_cond_destroy(&ends->turns);
    free(ends);
}
