/* support.h — what the suites share: collected diagnostics, a bench with a program on a chip, the tool. */
#ifndef TEST_SUPPORT_H
#define TEST_SUPPORT_H

#include <check.h>
#include <stdlib.h>
#include <string.h>

#include <oakspindle/oakspindle.h>

/* Under the sanitizers, several times as slow, every seventh of all operands and a seventh of the random samples are tried; the
 * build for release goes through all. */
#ifdef __SANITIZE_ADDRESS__
enum { STRIDE = 7 };
#else
enum { STRIDE = 1 };
#endif

enum { MOST_COLLECTED = 64 };
typedef struct collected {
    unsigned count;
    struct {
        char code[40], message[300], hint[400], file[200];
        unsigned line, column, column_end;
        oak_severity severity;
    } one[MOST_COLLECTED];
} collected;
oak_diag_sink collect(collected *into);
/* Prints what was collected, for a failing test. */
void show_collected(const collected *all);

oak_part *load_part(const char *name);

/* A program on a simulated chip with a session. */
typedef struct bench {
    oak_host host;
    oak_part *part;
    oak_program *program;
    oak_machine *machine;
    oak_chip_port chip;
    oak_session *session;
    collected diags;
    oak_diag_sink sink;
} bench;
void bench_open(bench *b, const char *part, const char *source);
void bench_open_part(bench *b, const char *part_path, const char *source);
void bench_open_file(bench *b, const char *part, const char *path);
void bench_close(bench *b);
oak_event bench_run(bench *b, uint64_t cycles, uint64_t steps);
long long value_of(bench *b, const char *expression);
uint64_t cycles_of(bench *b);

/* Assembles; the program or NULL. */
oak_program *assemble(const oak_part *part, const char *source, collected *diags);

/* A text sink that fills a buffer; free `bytes`. */
typedef struct text {
    char *bytes;
    size_t size, room;
} text;
oak_text_sink text_sink(text *t);

/* Runs a shell command; its exit code, with what it printed. Free both. */
int shell(const char *command, char **out, char **err);

/* A program on a pseudo-terminal, as somebody types at it. */
typedef struct terminal {
    int fd, child;
    text seen; /* what it has printed and nobody has awaited yet */
} terminal;
void terminal_open(terminal *t, const char *const *arguments);
/* Waits, for long on a slow machine, until it has printed this; what stands up to there is forgotten. */
void terminal_await(terminal *t, const char *wanted);
void terminal_send(terminal *t, const char *keys);
/* Waits until it ends; its exit code. */
int terminal_close(terminal *t);

uint32_t random32(uint64_t *seed);

/* Memory of a chip and of a second core beside it: written alike, filled with anything, compared from address 0 on. */
void poke_both(const oak_chip_port *chip, unsigned space, uint8_t *mirror, uint32_t at, const uint8_t *bytes,
               size_t count);
void fill_both(const oak_chip_port *chip, unsigned space, uint8_t *mirror, size_t size, uint64_t *seed);
void must_be_alike(const oak_chip_port *chip, unsigned space, const uint8_t *mirror, size_t size,
                   const char *what);

/* A suite of one case with the given tests, run; the number of failures. */
typedef const TTest *test_function;
int run_suite(const char *name, const test_function *tests, unsigned count);
#define RUN_SUITE(name, ...)                                                                                 \
    int main(void)                                                                                           \
    {                                                                                                        \
        const test_function tests[] = {__VA_ARGS__};                                                         \
        return run_suite(name, tests, sizeof tests / sizeof *tests) ? EXIT_FAILURE : EXIT_SUCCESS;           \
    }

/* Reads a program back, assembles that, and compares the images. */
void must_come_back(const oak_program *program);

/* A core alone, on the part of tests/bare that is called as its architecture: what suites hold beside a second model. What fails, fails the test. */
typedef struct bare {
    oak_host host;
    oak_part *part;
    oak_machine *machine;
    oak_chip_port chip;
} bare;
void bare_open(bare *b, const char *architecture);
void bare_close(bare *b);
oak_chip_time bare_time(const bare *b);
oak_stop bare_run(const bare *b, uint64_t instructions);
unsigned bare_number(const bare *b, const char *name); /* of a register */
uint32_t bare_register(const bare *b, unsigned number);
void bare_set(const bare *b, unsigned number, uint32_t value);

#endif
