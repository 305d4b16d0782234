/* Sessions: places, expressions, stop points, driven pins, changes, state; and that a session speaks to nothing but its
 * chip port. */
#include "support.h"

#include <stdio.h>

static const char counter[] = " org iram:0x30\ncount: ds 1\nwide: ds 2\n org bit:0\nflag: ds 1\n org "
                              "xram:0x100\nlog: ds 4\n org code:0\n"
                              "start: mov r2, #5\nloop: inc count\n setb flag\n djnz r2, loop\n mov wide, "
                              "#0x12\n mov wide+1, #0x34\nrest: sjmp rest\ntwice equ 2\n";

START_TEST(places_are_resolved_in_every_form)
{
    bench b;
    uint32_t address;
    bench_open(&b, "mcs51-8k", counter);
    static const struct {
        const char *text;
        uint32_t address;
    } good[] = {{"loop", 2},        {"LOOP+2", 4},   {"0x0004", 4},        {"6", 6},
                {"t.asm:9", 2 - 2}, {"t.asm:10", 2}, {"loop + twice*1", 4}};
    for (unsigned i = 0; i < sizeof good / sizeof *good; i++) {
        ck_assert_msg(oak_session_place(b.session, good[i].text, &b.sink, &address) == OAK_OK, "%s",
                      good[i].text);
        ck_assert_uint_eq(address, good[i].address);
    }
    static const char *const bad[] = {"lop",    "t.asm:99", "u.asm:1", "count", "a",
                                      "0x2000", "-1",       "t.asm:x", "",      "loop loop"};
    for (unsigned i = 0; i < sizeof bad / sizeof *bad; i++) {
        unsigned before = b.diags.count;
        ck_assert_msg(oak_session_place(b.session, bad[i], &b.sink, &address) == OAK_REFUSED, "%s", bad[i]);
        ck_assert_uint_eq(b.diags.count, before + 1);
    }
    char text[40];
    oak_session_name_place(b.session, 3, text, sizeof text);
    ck_assert_str_eq(text, "loop+1");
    bench_close(&b);
}
END_TEST

START_TEST(local_labels_stretches_and_pins_have_names)
{
    bench b;
    uint32_t address, from, to;
    unsigned space;
    bench_open(&b, "mcs51-8k",
               "lamp bit p1.4\n section vars, iram, at 0x40\ntable: ds 8\n section prog, code, at "
               "0x10\nmain: nop\n.again: sjmp .again\nnext: nop\n.again: sjmp .again\n");
    ck_assert_int_eq(oak_session_place(b.session, "main.again", &b.sink, &address), OAK_OK);
    ck_assert_uint_eq(address, 0x11);
    ck_assert_int_eq(oak_session_place(b.session, "next.again", &b.sink, &address), OAK_OK);
    ck_assert_uint_eq(address, 0x14);
    ck_assert_int_eq(oak_session_range(b.session, "iram[table..table+7]", &b.sink, &space, &from, &to),
                     OAK_OK);
    ck_assert(space == 2 && from == 0x40 && to == 0x47);
    static const char *const bad[] = {"iram[5..4]", "iram[0..256]", "nothing[0..1]",
                                      "iram[0..",   "iram[..4]",    "iram[0-4]"};
    for (unsigned i = 0; i < sizeof bad / sizeof *bad; i++) {
        unsigned before = b.diags.count;
        ck_assert_msg(oak_session_range(b.session, bad[i], &b.sink, &space, &from, &to) == OAK_REFUSED, "%s",
                      bad[i]);
        ck_assert_msg(b.diags.count == before + 1, "%s: %u messages", bad[i], b.diags.count - before);
    }
    ck_assert_str_eq(oak_session_pin_name(b.session, 32 + 4), "lamp");
    ck_assert_ptr_null(oak_session_pin_name(b.session, 32 + 5));
    ck_assert_ptr_null(oak_session_pin_name(b.session, 9 * 32));
    char text[80];
    ck_assert_int_eq(oak_session_set(b.session, "pc=0x8000", &b.sink), OAK_OK);
    oak_event event = bench_run(&b, 10, 0);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_OUTSIDE_CODE);
    oak_fault_sentence(b.session, &event.stop, text, sizeof text);
    ck_assert_ptr_nonnull(strstr(text, "0x8000"));
    ck_assert_str_eq(oak_stop_word(event.stop.reason), "fault");
    bench_close(&b);
}
END_TEST

START_TEST(expressions_read_the_chip)
{
    bench b;
    bench_open(&b, "mcs51-8k", counter);
    bench_run(&b, 0, 0);
    static const struct {
        const char *text;
        long long value;
    } cases[] = {{"count", 5},
                 {"iram[0x30]", 5},
                 {"iram[count]", 5},
                 {"iram[count+1:2]", 0x1234},
                 {"wide", 0x12},
                 {"flag", 1},
                 {"bit[0]", 1},
                 {"r2", 0},
                 {"pc == rest", 1},
                 {"rest", 16 - 2},
                 {"sp", 7},
                 {"p1", 0xFF},
                 {"p1.3", 1},
                 {"sfr[0x90]", 0xFF},
                 {"TR0", 0},
                 {"twice << 3", 16},
                 {"xram[log]", 0},
                 {"cy", 0},
                 {"code[0]", 0x7A},
                 {"acc.0", 0},
                 {"count > 4 && flag ? 'y' : 'n'", 'y'},
                 {"rs", 0},
                 {"T1M", 0}};
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++)
        ck_assert_msg(value_of(&b, cases[i].text) == cases[i].value, "%s is %lld", cases[i].text,
                      value_of(&b, cases[i].text));
    static const char *const bad[] = {"conut",     "iram[0x100]", "1/0",        "xram[70000]",
                                      "iram[0:9]", "count +",     "nowhere[3]", "count count"};
    for (unsigned i = 0; i < sizeof bad / sizeof *bad; i++) {
        oak_reading reading;
        unsigned before = b.diags.count;
        ck_assert_msg(oak_session_value(b.session, bad[i], &b.sink, &reading) == OAK_REFUSED, "%s", bad[i]);
        ck_assert_uint_eq(b.diags.count, before + 1);
    }
    ck_assert_ptr_nonnull(strstr(b.diags.one[0].hint, "`count`"));
    bench_close(&b);
}
END_TEST

START_TEST(what_is_set_can_be_read_back)
{
    bench b;
    bench_open(&b, "mcs51-8k", counter);
    static const struct {
        const char *set, *read;
        long long value;
    } cases[] = {{"a=5", "acc", 5},
                 {"count=count+7", "iram[0x30]", 7},
                 {"iram[0x31:2]=0x1234", "wide", 0x12},
                 {"dptr=0xabcd", "sfr[0x83]", 0xAB},
                 {"TR0=1", "sfr[0x88]", 0x10},
                 {"T1M=2", "sfr[0x89]", 0x20},
                 {"flag=1", "iram[0x20]", 1},
                 {"r7 = 9", "iram[7]", 9},
                 {"cy=1", "psw & 0x80", 0x80},
                 {"rs=3", "psw & 0x18", 0x18},
                 {"p1.2=0", "p1", 0xFB},
                 {"sfr[0x90]=0x0f", "sfr[0x90]", 0x0F},
                 {"pc=loop", "pc", 2},
                 {"xram[log]=-1", "xram[log]", 255},
                 {"acc.7=1", "a", 0x85},
                 {"bit[8]=1", "iram[0x21]", 1},
                 {"INT0=0", "p3.2", 0}};
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        ck_assert_msg(oak_session_set(b.session, cases[i].set, &b.sink) == OAK_OK, "%s", cases[i].set);
        ck_assert_msg(value_of(&b, cases[i].read) == cases[i].value, "%s: %s is %lld", cases[i].set,
                      cases[i].read, value_of(&b, cases[i].read));
    }
    static const char *const bad[] = {
        "a",     "a=256",   "flag=2",        "loop=3",      "twice=3", "iram[0x200]=1", "5=5",
        "a b=5", "conut=1", "iram[0]=0x100", "sfr[0x7f]=1", "p1.9=0",  "a=1/0"};
    for (unsigned i = 0; i < sizeof bad / sizeof *bad; i++) {
        unsigned before = b.diags.count;
        ck_assert_msg(oak_session_set(b.session, bad[i], &b.sink) == OAK_REFUSED, "%s", bad[i]);
        ck_assert_msg(b.diags.count == before + 1, "%s: %u messages", bad[i], b.diags.count - before);
    }
    bench_close(&b);
}
END_TEST

START_TEST(conditions_and_counts_narrow_a_stop_point)
{
    bench b;
    bench_open(&b, "mcs51-8k", counter);
    unsigned number;
    ck_assert_int_eq(oak_session_add_stop(b.session, "loop", "count == 3", 0, &b.sink, &number), OAK_OK);
    oak_event event = bench_run(&b, 0, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
    ck_assert_int_eq(event.stop_point, (int)number);
    ck_assert_int_eq(value_of(&b, "count"), 3);
    ck_assert_uint_eq(oak_session_stop_point(b.session, number)->hits, 1);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_PARKED);
    oak_session_reset(b.session);
    oak_session_enable_stop(b.session, number, false);
    ck_assert_int_eq(oak_session_add_stop(b.session, "loop", NULL, 2, &b.sink, &number), OAK_OK);
    bench_run(&b, 0, 0);
    ck_assert_int_eq(value_of(&b, "count"), 1);
    bench_run(&b, 0, 0);
    ck_assert_int_eq(value_of(&b, "count"), 3);
    ck_assert_uint_eq(oak_session_stop_point(b.session, number)->hits, 4);
    ck_assert_int_eq(oak_session_add_stop(b.session, "loop", "conut", 0, &b.sink, NULL), OAK_REFUSED);
    ck_assert_int_eq(oak_session_add_stop(b.session, "loop", "1/(count-count)", 0, &b.sink, NULL),
                     OAK_REFUSED);
    bench_close(&b);
}
END_TEST

START_TEST(a_budget_and_a_condition_that_never_holds_end_together)
{
    bench b;
    bench_open(&b, "mcs51-8k", "loop: nop\n sjmp loop\n");
    ck_assert_int_eq(oak_session_add_stop(b.session, "loop", "a == 1", 0, &b.sink, NULL), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 3000, 0).stop.reason, OAK_STOP_CYCLES);
    ck_assert_uint_eq(cycles_of(&b), 3000);
    ck_assert_int_eq(bench_run(&b, 0, 1001).stop.reason, OAK_STOP_STEPS);
    bench_close(&b);
}
END_TEST

START_TEST(pins_are_driven_at_their_cycle)
{
    bench b;
    /* counts cycles of three while the pin is high */
    bench_open(&b, "mcs51-8k", "wait: jnb p1.0, wait\nup: nop\n jb p1.0, up\nlow_: sjmp low_\n");
    ck_assert_int_eq(oak_session_drive(b.session, "p1.0 = 0 until 100us, 1 for 300 cycles, 0", &b.sink),
                     OAK_OK);
    oak_session_add_stop(b.session, "up", NULL, 0, &b.sink, NULL);
    bench_run(&b, 0, 0);
    ck_assert_uint_eq(cycles_of(&b), 102); /* seen by the jump that begins at 100 */
    oak_session_enable_stop(b.session, 0, false);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_PARKED);
    ck_assert_uint_eq(cycles_of(&b),
                      402); /* 102 + 100 turns of 3, of which the last sees the pin low at 400 */
    bench_close(&b);
}
END_TEST

START_TEST(a_repeating_drive_does_not_drift)
{
    bench b;
    bench_open(&b, "mcs51-8k", "loop: sjmp next\nnext: sjmp loop\n");
    /* 3 x 333.333 us is 1 ms less 1 ns: over a second, edges keep their exact place */
    oak_session_set_clock(b.session, 11059200000u);
    ck_assert_int_eq(oak_session_drive(b.session, "p1.0 = 1 for 400us, 0 for 600us, repeat", &b.sink),
                     OAK_OK);
    for (unsigned ms = 1; ms < 1000; ms += 37) {
        uint64_t edge = oak_time_to_cycles((uint64_t)ms * 1000000000u, 11059200000u, 12);
        bench_run(&b, edge - cycles_of(&b) - 3, 0);
        ck_assert_int_eq(value_of(&b, "p1.0"), 0);
        bench_run(&b, 8, 0);
        ck_assert_int_eq(value_of(&b, "p1.0"), 1);
    }
    static const char *const bad[] = {"p1.0",
                                      "p1.9 = 1",
                                      "p1.0 = 2",
                                      "p1.0 = 1 for",
                                      "p1.0 = 1 for 5",
                                      "p1.0 = 1, 0",
                                      "p1.0 = 1, repeat",
                                      "p1.0 = 1 for 0us, 0 for 0us, repeat",
                                      "p1.0 = repeat",
                                      "p1.0 = 1 since 5ms",
                                      "x = 1",
                                      "p1.0 = 1 for 5ms 3",
                                      ""};
    for (unsigned i = 0; i < sizeof bad / sizeof *bad; i++)
        ck_assert_msg(oak_session_drive(b.session, bad[i], &b.sink) == OAK_REFUSED, "%s", bad[i]);
    bench_close(&b);
}
END_TEST

START_TEST(a_stop_point_reached_when_a_pin_changes_is_not_lost)
{
    for (unsigned offset = 90; offset < 110; offset++) {
        bench b;
        char wave[60];
        bench_open(
            &b, "mcs51-8k",
            " mov r2, #24\nspin: nop\n nop\n djnz r2, spin\nhere: nop\nrest: sjmp rest\n"); /* here is reached at 97 */
        snprintf(wave, sizeof wave, "p1.0 = 0 until %u cycles, 1", offset);
        ck_assert_int_eq(oak_session_drive(b.session, wave, &b.sink), OAK_OK);
        oak_session_add_stop(b.session, "here", NULL, 0, &b.sink, NULL);
        ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT);
        ck_assert_uint_eq(cycles_of(&b), 97);
        ck_assert_uint_eq(oak_session_stop_point(b.session, 0)->hits, 1);
        bench_close(&b);
    }
}
END_TEST

START_TEST(changes_since_the_run_began_are_told)
{
    bench b;
    oak_change changes[40];
    size_t count;
    bench_open(&b, "mcs51-8k", counter);
    bench_run(&b, 0, 2);
    ck_assert_int_eq(oak_session_changes(b.session, changes, 40, &count), OAK_OK);
    /* pc, r2, then iram[2] and iram[0x30] */
    ck_assert_uint_eq(count, 4);
    ck_assert(changes[2].space == 2 && changes[2].address == 2 && changes[2].before == 0 &&
              changes[2].after == 5);
    ck_assert(changes[3].space == 2 && changes[3].address == 0x30 && changes[3].after == 1);
    oak_event event;
    ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_STEP);
    ck_assert_int_eq(oak_session_changes(b.session, changes, 1, &count), OAK_OK);
    ck_assert_uint_eq(count, 2); /* pc and iram[0x20]; one was written */
    bench_close(&b);
}
END_TEST

START_TEST(a_stored_state_goes_on_as_if_it_had_never_stopped)
{
    static const char source[] =
        " org xram:0\nmemo: ds 300\n org code:0\nstart: mov sp, #0x40\n mov dptr, #memo\nloop: inc r3\n mov "
        "a, r3\n add a, r4\n mov r4, a\n movx @dptr, a\n inc dptr\n push acc\n pop b\n"
        " mov p1, a\n jb p3.0, loop\n setb rs0\n inc r1\n clr rs0\n sjmp loop\n";
    static const char wave[] = "p3.0 = 1 for 70us, 0 for 30us, repeat";
    bench whole, first, second;
    text state = {0}, state_whole = {0}, state_again = {0};
    oak_text_sink sink = text_sink(&state), whole_sink = text_sink(&state_whole),
                  again_sink = text_sink(&state_again);
    bench_open(&whole, "mcs51-8k", source);
    bench_open(&first, "mcs51-8k", source);
    bench_open(&second, "mcs51-8k", source);
    oak_session_drive(whole.session, wave, &whole.sink);
    oak_session_drive(first.session, wave, &first.sink);
    bench_run(&whole, 2000, 0);
    bench_run(&first, 777, 0);
    ck_assert_int_eq(oak_session_write_state(first.session, &sink), OAK_OK);
    ck_assert_int_eq(oak_session_read_state(second.session, state.bytes, state.size, "s.json", &second.sink),
                     OAK_OK);
    ck_assert_int_eq(oak_session_write_state(second.session, &again_sink), OAK_OK);
    oak_session_drive(second.session, wave, &second.sink);
    bench_run(&second, 2000 - cycles_of(&first), 0);
    free(state.bytes);
    state = (text){0};
    ck_assert_int_eq(oak_session_write_state(second.session, &sink), OAK_OK);
    ck_assert_int_eq(oak_session_write_state(whole.session, &whole_sink), OAK_OK);
    ck_assert_str_eq(state.bytes, state_whole.bytes);
    free(state.bytes);
    free(state_whole.bytes);
    free(state_again.bytes);
    bench_close(&whole);
    bench_close(&first);
    bench_close(&second);
}
END_TEST

START_TEST(a_wrong_state_file_is_refused)
{
    static const char *const bad[] = {
        "",
        "{",
        "[]",
        "5",
        "{\"part\": \"mcs51-4k\"}",
        "{\"registers\": {\"q\": 1}}",
        "{\"registers\": {\"a\": 256}}",
        "{\"registers\": {\"a\": 1.5}}",
        "{\"registers\": [1]}",
        "{\"sfr\": {\"P9\": 1}}",
        "{\"sfr\": {\"P1\": -1}}",
        "{\"memory\": [{\"space\": \"iram\", \"at\": 255, \"bytes\": \"0011\"}]}",
        "{\"memory\": [{\"space\": \"iram\", \"at\": 0, \"bytes\": \"0g\"}]}",
        "{\"memory\": [{\"space\": \"ram\", \"at\": 0, \"bytes\": \"00\"}]}",
        "{\"memory\": [5]}",
        "{\"cycles\": -1}",
        "{\"driven\": {\"p1.8\": 1}}",
        "{\"driven\": {\"p1.0\": 2}}",
        "{\"registers\": {\"a\": \"1\"}}"};
    for (unsigned i = 0; i < sizeof bad / sizeof *bad; i++) {
        bench b;
        bench_open(&b, "mcs51-8k", " nop");
        ck_assert_msg(oak_session_read_state(b.session, bad[i], strlen(bad[i]), "s.json", &b.sink) ==
                          OAK_REFUSED,
                      "accepted: %s", bad[i]);
        ck_assert_msg(b.diags.count >= 1, "no message: %s", bad[i]);
        ck_assert_str_eq(b.diags.one[0].file, "s.json");
        bench_close(&b);
    }
    bench b;
    static const char good[] = "{\"registers\": {\"a\": 7}, \"memory\": [{\"space\": \"xram\", \"at\": 16, "
                               "\"bytes\": \"AAbb\"}]}"; /* a part of a state is a state */
    bench_open(&b, "mcs51-8k", " nop");
    ck_assert_int_eq(oak_session_read_state(b.session, good, strlen(good), "s.json", &b.sink), OAK_OK);
    ck_assert_int_eq(value_of(&b, "a"), 7);
    ck_assert_int_eq(value_of(&b, "xram[16:2]"), 0xAABB);
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ another chip */

/* A chip that is a script: every run goes on one address and writes what it was asked into a log. */
typedef struct scripted {
    oak_part part;
    uint32_t pc, a;
    uint8_t ram[256];
    oak_level pins[8];
    oak_chip_time time;
    bool stops[16];
    char log[4000];
    struct {
        unsigned pc, time, other; /* how often it was asked for what */
    } asked;
    char broken; /* what cannot be read any more: r registers, m memory, p pins, t time; s it cannot run */
} scripted;

static oak_status fails(const scripted *self, char what)
{
    return self->broken == what ? OAK_IO_ERROR : OAK_OK;
}

#define LOG(...) snprintf(self->log + strlen(self->log), sizeof self->log - strlen(self->log), __VA_ARGS__)

static const oak_part *script_part(void *chip)
{
    return &((scripted *)chip)->part;
}

static oak_status script_reset(void *chip)
{
    scripted *self = chip;
    LOG("reset;");
    self->pc = 0;
    self->time = (oak_chip_time){0};
    return OAK_OK;
}

/* Executes "instructions" of 10 cycles that add one to ram[0x30], around 8 addresses. */
static oak_status script_run(void *chip, uint64_t until_cycle, uint64_t until_instruction, oak_stop *stop)
{
    scripted *self = chip;
    LOG("run %lld;", (long long)until_cycle);
    if (fails(self, 's')) return OAK_IO_ERROR;
    *stop = (oak_stop){.reason = OAK_STOP_CYCLES};
    for (bool first = true;; first = false) {
        stop->pc = self->pc;
        if (!first && self->stops[self->pc]) {
            stop->reason = OAK_STOP_POINT;
            return OAK_OK;
        }
        if (self->time.cycles >= until_cycle) return OAK_OK;
        if (self->time.instructions >= until_instruction) {
            stop->reason = OAK_STOP_STEPS;
            return OAK_OK;
        }
        self->pc = (self->pc + 1) % 8;
        self->ram[0x30]++;
        self->time.cycles += 10;
        self->time.instructions++;
    }
}

static oak_status script_read_register(void *chip, unsigned reg, uint32_t *value)
{
    scripted *self = chip;
    self->asked.pc += reg == 0, self->asked.other += reg != 0;
    *value = reg == 0 ? self->pc : reg == 1 ? self->a : 0;
    return fails(self, 'r');
}

static oak_status script_write_register(void *chip, unsigned reg, uint32_t value)
{
    scripted *self = chip;
    LOG("register %u=%u;", reg, (unsigned)value);
    if (reg == 1) self->a = value;
    return OAK_OK;
}

static oak_status script_read_memory(void *chip, unsigned space, uint32_t address, uint8_t *bytes,
                                     size_t count)
{
    scripted *self = chip;
    if (space != 2 || address > 256 || count > 256 - address) return OAK_OUT_OF_RANGE;
    memcpy(bytes, self->ram + address, count);
    self->asked.other++;
    return fails(self, 'm');
}

static oak_status script_write_memory(void *chip, unsigned space, uint32_t address, const uint8_t *bytes,
                                      size_t count)
{
    scripted *self = chip;
    if (space != 2 || address > 256 || count > 256 - address) return OAK_OUT_OF_RANGE;
    LOG("memory %u;", (unsigned)address);
    memcpy(self->ram + address, bytes, count);
    return OAK_OK;
}

static oak_status script_read_pin(void *chip, unsigned pin, oak_pin *state)
{
    *state = (oak_pin){.result = ((scripted *)chip)->pins[pin], .outside = ((scripted *)chip)->pins[pin]};
    ((scripted *)chip)->asked.other++;
    return fails(chip, 'p');
}

static oak_status script_drive_pin(void *chip, unsigned pin, oak_level level)
{
    scripted *self = chip;
    LOG("pin %u=%d at %llu;", pin, level, (unsigned long long)self->time.cycles);
    self->pins[pin] = level;
    return OAK_OK;
}

static oak_status script_set_stop(void *chip, uint32_t address, bool on)
{
    scripted *self = chip;
    LOG("stop %u=%d;", (unsigned)address, on);
    self->stops[address] = on;
    return OAK_OK;
}

static oak_status script_read_time(void *chip, oak_chip_time *time)
{
    *time = ((scripted *)chip)->time;
    ((scripted *)chip)->asked.time++;
    return fails(chip, 't');
}

static oak_status script_write_time(void *chip, const oak_chip_time *time)
{
    ((scripted *)chip)->time = *time;
    return OAK_OK;
}

/* Opens a session on it. */
static oak_session *open_script(scripted *chip)
{
    static const oak_chip_ops ops = {.part = script_part,
                                     .reset = script_reset,
                                     .run = script_run,
                                     .read_register = script_read_register,
                                     .write_register = script_write_register,
                                     .read_memory = script_read_memory,
                                     .write_memory = script_write_memory,
                                     .read_pin = script_read_pin,
                                     .drive_pin = script_drive_pin,
                                     .set_stop = script_set_stop,
                                     .read_time = script_read_time,
                                     .write_time = script_write_time};
    static const oak_part_memory memories[] = {{.space = 1, .size = 8, .title = "code"},
                                               {.space = 2, .writable = true, .size = 256, .title = "ram"}};
    static const oak_part_register registers[] = {
        {.name = "PX", .space = 4, .bits = 8, .address = 0x90, .title = ""}};
    static const oak_part_port ports[] = {
        {.name = "px", .address = 0x90, .space = 4, .pin_count = 8, .title = ""}};
    *chip = (scripted){0};
    chip->part = (oak_part){.name = "script",
                            .title = "",
                            .architecture = oak_architecture_find("mcs51"),
                            .clock_millihertz = 12000000000u,
                            .clocks_per_cycle = 12,
                            .memories = memories,
                            .memory_count = 2,
                            .registers = registers,
                            .register_count = 1,
                            .ports = ports,
                            .port_count = 1};
    oak_host host = oak_linux_host();
    oak_chip_port port = {chip, &ops};
    oak_session *session;
    ck_assert_int_eq(oak_session_open(&host, &port, NULL, &session), OAK_OK);
    return session;
}

START_TEST(a_session_works_on_any_chip_port)
{
    static scripted chip;
    oak_session *session = open_script(&chip);
    collected diags;
    oak_diag_sink sink = collect(&diags);
    oak_event event;
    oak_session_track_changes(session, true);
    ck_assert_str_eq(oak_session_part(session)->name, "script");
    ck_assert_int_eq(oak_session_drive(session, "px.3 = 1 until 45 cycles, 0", &sink), OAK_OK);
    ck_assert_int_eq(oak_session_add_stop(session, "6", "iram[0x30] > 10", 0, &sink, NULL), OAK_OK);
    ck_assert_int_eq(oak_session_set(session, "a=3", &sink), OAK_OK);
    oak_budget none = {0};
    ck_assert_int_eq(oak_session_run(session, &none, &sink, &event), OAK_OK);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
    ck_assert_uint_eq(event.stop.pc, 6);
    oak_change changes[4];
    size_t count;
    ck_assert_int_eq(oak_session_changes(session, changes, 4, &count), OAK_OK);
    ck_assert_uint_eq(count, 2); /* pc and ram[0x30] */
    ck_assert_uint_eq(changes[1].after, 14);
    oak_session_close(session);
    ck_assert_str_eq(chip.log,
                     "stop 6=1;register 1=3;pin 3=1 at 0;run 45;pin 3=0 at 50;run -1;run -1;stop 6=0;");
}
END_TEST

START_TEST(a_step_on_a_slow_port_asks_for_no_more_than_it_needs)
{
    static scripted chip;
    oak_session *session = open_script(&chip);
    collected diags;
    oak_diag_sink sink = collect(&diags);
    oak_event event;
    chip.asked.pc = chip.asked.time = chip.asked.other = 0;
    for (unsigned i = 0; i < 100; i++) ck_assert_int_eq(oak_session_step(session, &event), OAK_OK);
    ck_assert_uint_le(chip.asked.pc, 100);
    ck_assert_uint_le(chip.asked.time, 200);
    ck_assert_uint_eq(chip.asked.other, 0);
    oak_budget ten = {.instructions = 10};
    ck_assert_int_eq(oak_session_add_stop(session, "6", NULL, 0, &sink, NULL), OAK_OK);
    ck_assert_int_eq(oak_session_run(session, &ten, &sink, &event), OAK_OK);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
    ck_assert_uint_eq(chip.asked.other, 0);
    oak_change changes[4];
    size_t count = 7;
    ck_assert_int_eq(oak_session_changes(session, changes, 4, &count),
                     OAK_UNSUPPORTED); /* nobody has asked for them */
    ck_assert_uint_eq(count, 0);
    ck_assert_int_eq(oak_session_add_watch(session, "iram[0x30]", OAK_WATCH_WRITE, &sink, NULL),
                     OAK_UNSUPPORTED);
    ck_assert_str_eq(diags.one[0].message, "this chip cannot tell of accesses");
    ck_assert_int_eq(oak_session_add_watch(session, "iram[0x30] == 200", OAK_WATCH_HOLDS, &sink, NULL),
                     OAK_OK);
    oak_session_close(session);
}
END_TEST

START_TEST(what_a_port_fails_at_is_told_by_the_call_that_has_asked)
{
    static scripted chip;
    static const char whats[] = "rts";
    collected diags;
    oak_diag_sink sink = collect(&diags);
    for (const char *what = whats; *what; what++) {
        oak_session *session = open_script(&chip);
        oak_event event;
        chip.broken = *what;
        ck_assert_int_eq(oak_session_step(session, &event), OAK_IO_ERROR);
        ck_assert_int_eq(oak_session_run_to(session, "6", &(oak_budget){.instructions = 9}, &sink, &event),
                         OAK_IO_ERROR);
        chip.broken = 0;
        ck_assert_int_eq(oak_session_step(session, &event), OAK_OK); /* and it goes on when the port does */
        oak_session_close(session);
    }
    oak_session *session = open_script(&chip);
    oak_reading reading;
    oak_event event;
    oak_change changes[4];
    size_t count;
    oak_session_track_changes(session, true);
    ck_assert_int_eq(oak_session_step(session, &event), OAK_OK);
    chip.broken = 'm';
    ck_assert_int_eq(oak_session_value(session, "iram[0x30] + 1", &sink, &reading), OAK_IO_ERROR);
    ck_assert_int_eq(oak_session_changes(session, changes, 4, &count), OAK_IO_ERROR);
    ck_assert_int_eq(oak_session_step(session, &event), OAK_IO_ERROR); /* how it was cannot be noted */
    chip.broken = 'r';
    ck_assert_int_eq(oak_session_value(session, "a", &sink, &reading), OAK_IO_ERROR);
    chip.broken = 'p';
    ck_assert_int_eq(oak_session_value(session, "px.1", &sink, &reading), OAK_IO_ERROR);
    chip.broken = 0;
    ck_assert_int_eq(oak_session_value(session, "a", &sink, &reading), OAK_OK);
    oak_session_close(session);
}
END_TEST

START_TEST(everything_is_opened_by_names_and_routines_are_called_on_every_architecture)
{
    static const struct {
        const char *architecture, *part, *open, *shut, *left, *rows;
        unsigned fresh; /* `left` when the contact is open */
    } all[] = {{"mcs51", "mcs51-8k", "p1.0 = 1", "p1.0 = 0", "left", "rows", 5},
               {"z80", "z80-32k", "p1.0 = 1", "p1.0 = 0", "left", "rows", 5},
               {"picmid", "picmid-8k", "rb.0 = 1", "rb.0 = 0", "left", "rows", 5},
               {"pic18", "pic18-32k", "rb.0 = 1", "rb.0 = 0", "left", "rows", 5},
               {"msp430", "msp430-32k", "p2.0 = 1", "p2.0 = 0", "left", "rows", 5},
               {"cpu12", "cpu12-64k", "pt.0 = 1", "pt.0 = 0", "left", "rows", 5},
               {"avr", "avr-32k", "pb.0 = 1", "pb.0 = 0", "left", "rows", 5},
               {"mcs4", "mcs4-4k", "c8.0 = 1", "c8.0 = 0", "ram[left]", "ram[rows]", 11},
               {"rv32", "rv32-256k", "p1.0 = 1", "p1.0 = 0", "left", "rows", 5},
               {"a32", "a32-512k", "p1.0 = 1", "p1.0 = 0", "left", "rows", 5},
               {"armv6m", "armv6m-32k", "p1.0 = 1", "p1.0 = 0", "left", "rows", 5},
               {"armv7m", "armv7m-256k", "p1.0 = 1", "p1.0 = 0", "left", "rows", 5}};
    const oak_budget most = {.cycles = 5000};
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        oak_opened it;
        oak_event event;
        oak_reading reading, pc;
        char path[300];
        snprintf(path, sizeof path, SOURCE_FOLDER "/examples/treadle/%s.asm", all[i].architecture);
        ck_assert_msg(oak_open(all[i].part, path, &it) == OAK_OK, "%s", path);
        ck_assert_int_eq(oak_session_drive(it.session, all[i].open, &oak_printer), OAK_OK);
        ck_assert_int_eq(oak_session_run_to(it.session, "main", &most, &oak_printer, &event), OAK_OK);
        ck_assert_int_eq(oak_session_call(it.session, "look", &most, &oak_printer, &event), OAK_OK);
        ck_assert_int_eq(oak_session_value(it.session, all[i].left, &oak_printer, &reading), OAK_OK);
        ck_assert_msg(reading.value == all[i].fresh, "%s: %d", all[i].part, (int)reading.value);
        ck_assert_int_eq(oak_session_drive(it.session, all[i].shut, &oak_printer), OAK_OK);
        for (unsigned look = 1; look <= 7; look++) {
            ck_assert_int_eq(oak_session_call(it.session, "look", &most, &oak_printer, &event), OAK_OK);
            ck_assert_int_eq(event.stop.reason, OAK_STOP_STEP);
            ck_assert_int_eq(oak_session_value(it.session, all[i].rows, &oak_printer, &reading), OAK_OK);
            ck_assert_msg(reading.value == (look >= 5), "%s: look %u: %d", all[i].part, look,
                          (int)reading.value);
        }
        /* Execution stands where it stood, and the code is as it was: it goes on. */
        ck_assert_int_eq(oak_session_value(it.session, "pc", &oak_printer, &pc), OAK_OK);
        oak_line line;
        ck_assert_int_eq(oak_program_line_at(it.program, (uint32_t)pc.value, &line), OAK_OK);
        ck_assert_msg(strstr(line.text, "look") && strncmp(line.text, "main", 4) == 0, "%s: at %.*s",
                      all[i].part, (int)line.text_size, line.text);
        ck_assert_int_eq(oak_session_run_to(it.session, "looked", &most, &oak_printer, &event), OAK_OK);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_STEP);
        /* What does not come back: it stands there. */
        ck_assert_int_eq(
            oak_session_call(it.session, "main", &(oak_budget){.cycles = 50}, &oak_printer, &event),
            OAK_INTERRUPTED);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_CYCLES);
        oak_close(&it);
        ck_assert_ptr_null(it.session);
        oak_close(&it);
    }
}
END_TEST

/* A subroutine measured up to its return takes as long as from its label to the place behind its call, on every architecture. */
START_TEST(a_lap_to_its_return_is_one_to_the_place_behind_the_call)
{
    static const char *const parts[] = {"mcs51-8k",   "z80-32k",   "picmid-8k",  "pic18-32k",
                                        "msp430-32k", "cpu12-64k", "avr-32k",    "mcs4-4k",
                                        "rv32-256k",  "a32-512k",  "armv6m-32k", "armv7m-256k"};
    static const char *const drives[] = {"p1.0", "p1.0", "rb.0", "rb.0", "p2.0", "pt.0",
                                         "pb.0", "c8.0", "p1.0", "p1.0", "p1.0", "p1.0"};
    for (unsigned i = 0; i < sizeof parts / sizeof *parts; i++) {
        oak_opened it;
        oak_event event;
        char path[300], drive[100];
        snprintf(path, sizeof path, SOURCE_FOLDER "/examples/treadle/%.*s.asm", (int)strcspn(parts[i], "-"),
                 parts[i]);
        ck_assert_msg(oak_open(parts[i], path, &it) == OAK_OK, "%s", path);
        snprintf(drive, sizeof drive, "%s = 1 for 40ms, 0 for 70ms, repeat", drives[i]);
        ck_assert_int_eq(oak_session_drive(it.session, drive, &oak_printer), OAK_OK);
        ck_assert_int_eq(oak_session_add_lap(it.session, "look", "its return", &oak_printer), OAK_OK);
        ck_assert_int_eq(oak_session_add_lap(it.session, "look", "looked", &oak_printer), OAK_OK);
        ck_assert_int_eq(oak_session_run(it.session, &(oak_budget){.cycles = 2000000}, &oak_printer, &event),
                         OAK_OK);
        const oak_lap *one = oak_session_lap(it.session, 0), *other = oak_session_lap(it.session, 1);
        ck_assert_msg(one->count > 10 && one->count == other->count && one->total == other->total &&
                          one->shortest == other->shortest && one->longest == other->longest,
                      "%s: %u laps of %u to %u, not %u of %u to %u", parts[i], (unsigned)one->count,
                      (unsigned)one->shortest, (unsigned)one->longest, (unsigned)other->count,
                      (unsigned)other->shortest, (unsigned)other->longest);
        uint64_t binned = 0;
        for (unsigned b = 0; b < OAK_LAP_BINS; b++) binned += one->bins[b];
        ck_assert_uint_eq(binned, one->count);
        ck_assert(one->bins[(one->longest - one->bin_from) / one->bin_width] &&
                  one->bin_from <= one->shortest);
        oak_close(&it);
    }
}
END_TEST

/* What an interrupt waits for its handler is what passes from the pin to the handler, but for what a pin takes to be noticed and a vector to lead there; and a handler
 * takes, up to its return, what the chip says it took, but for the way in. */
START_TEST(how_long_an_interrupt_waits_and_takes_is_what_laps_measure)
{
    static const struct {
        const char *part, *folder, *handler, *pin;
        const char *drive;
        uint32_t vector;
        unsigned wakes; /* cycles that it takes longer from sleep */
    } all[] = {
        {"mcs51-8k", "extractor", "slot", "vane falls", NULL, 3, 0},
        {"mcs51-8k", "extractor", "tick", NULL, NULL, 11, 0},
        {"armv7m-256k", "kiln", "sensor_edge", "p1.0 changes", "p1.0 = 0 for 1487us, 1 for 511us, repeat",
         4 * 17, 0},
        {"armv7m-256k", "kiln", "tick", NULL, NULL, 4 * 15, 0},
        {"avr-32k", "cabinet", "awake", NULL, NULL, 0, 4},
        {"rv32-256k", "planer", "moved", NULL, NULL, 0, 0},
        {"z80-32k", "press", "tick", NULL, NULL, 0, 0},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        oak_opened it;
        oak_event event;
        oak_board *board;
        oak_service service;
        char path[300], of[60];
        snprintf(path, sizeof path, SOURCE_FOLDER "/examples/%s/%s.asm", all[i].folder, all[i].folder);
        ck_assert_msg(oak_open(all[i].part, path, &it) == OAK_OK, "%s", path);
        snprintf(path, sizeof path, SOURCE_FOLDER "/examples/%s/board.yaml", all[i].folder);
        bool on_board = !all[i].drive;
        if (on_board) {
            ck_assert_int_eq(oak_board_load(&it.host, path, it.part, NULL, &oak_printer, &board), OAK_OK);
            ck_assert_int_eq(oak_board_join(board, it.session, 1), OAK_OK);
        } else ck_assert_int_eq(oak_session_drive(it.session, all[i].drive, &oak_printer), OAK_OK);
        oak_service before = {
            0}; /* what came before it was measured: a pin has changed at reset, and nobody heard it */
        if (all[i].drive)
            ck_assert_int_eq(
                oak_session_run(it.session, &(oak_budget){.cycles = 300000}, &oak_printer, &event), OAK_OK);
        for (unsigned n = 0; all[i].drive && before.vector != all[i].vector; n++)
            ck_assert_int_eq(it.chip.ops->service(it.chip.chip, n, &before), OAK_OK);
        ck_assert_int_eq(oak_session_add_lap(it.session, all[i].handler, "its return", &oak_printer), OAK_OK);
        if (all[i].pin)
            ck_assert_int_eq(oak_session_add_lap(it.session, all[i].pin, all[i].handler, &oak_printer),
                             OAK_OK);
        ck_assert_int_eq(oak_session_run(it.session, &(oak_budget){.cycles = 9000000}, &oak_printer, &event),
                         OAK_OK);
        const oak_lap *taken = oak_session_lap(it.session, 0), *waited = oak_session_lap(it.session, 1);
        snprintf(of, sizeof of, "%s of %s: ", all[i].handler, all[i].folder);
        unsigned found = 0;
        for (unsigned n = 0; it.chip.ops->service(it.chip.chip, n, &service) == OAK_OK; n++) {
            if (all[i].vector ? service.vector != all[i].vector : service.count != taken->count) continue;
            found++;
            service.count -= before.count, service.cycles -= before.cycles;
            service.waits -= before.waits, service.waited -= before.waited;
            uint64_t way_in = service.longest - taken->longest;
            ck_assert_msg(taken->count > 2 && service.count == taken->count && way_in < 40 &&
                              service.cycles <= taken->total + way_in * taken->count &&
                              service.cycles >= taken->total + (way_in - all[i].wakes) * taken->count,
                          "%s%u times %u, %u in all; laps %u times %u, %u in all", of,
                          (unsigned)service.count, (unsigned)service.longest, (unsigned)service.cycles,
                          (unsigned)taken->count, (unsigned)taken->longest, (unsigned)taken->total);
            ck_assert_msg(service.waits && service.shortest_wait >= 1, "%s%u waits", of,
                          (unsigned)service.waits);
            if (!all[i].pin) break;
            /* One edge may come just when the program writes the flags, and is looked at a cycle sooner. */
            uint64_t more = waited->shortest - service.shortest_wait;
            ck_assert_msg(waited->count == service.waits && more < 20 &&
                              (before.count || waited->longest - service.longest_wait == more) &&
                              waited->total + 1 >= service.waited + more * service.waits &&
                              waited->total <= service.waited + more * service.waits,
                          "%s%u waits of %u to %u, %u in all; laps %u of %u to %u, %u in all", of,
                          (unsigned)service.waits, (unsigned)service.shortest_wait,
                          (unsigned)service.longest_wait, (unsigned)service.waited, (unsigned)waited->count,
                          (unsigned)waited->shortest, (unsigned)waited->longest, (unsigned)waited->total);
            break;
        }
        ck_assert_msg(found == 1, "%sits vector is not among the interrupts", of);
        oak_session_close(it.session);
        it.session = NULL;
        if (on_board) oak_board_free(board);
        oak_close(&it);
    }
}
END_TEST

/* What had asked before the chip resets itself has not waited since then when it asks again. */
START_TEST(a_reset_forgets_who_had_asked)
{
    oak_opened it;
    oak_event event;
    oak_service service;
    ck_assert_int_eq(
        oak_open_text("armv6m-32k",
                      " vector stack, 0x20001000\n vector reset, start\n vector pendsv, later\n org 0x200\n"
                      "start: ldr r0, =0x20000000\n ldr r2, =SCB_ICSR\n ldr r3, =0x10000000\n ldr r1, [r0]\n "
                      "cmp r1, #7\n beq again\n"
                      " movs r1, #7\n str r1, [r0]\n cpsid i\n str r3, [r2]\n ldr r1, =1000\nwait: subs r1, "
                      "r1, #1\n bne wait\n"
                      " ldr r2, =SCB_AIRCR\n ldr r3, =0x05FA0004\n str r3, [r2]\n b .\n"
                      "again: str r3, [r2]\nrest: b rest\nlater: movs r7, #1\n bx lr\n",
                      &it),
        OAK_OK);
    ck_assert_int_eq(oak_session_run(it.session, &(oak_budget){.cycles = 20000}, &oak_printer, &event),
                     OAK_OK);
    ck_assert_int_eq(it.chip.ops->service(it.chip.chip, 0, &service), OAK_OK);
    ck_assert_uint_eq(service.count, 1);
    ck_assert_uint_eq(service.waits, 1);
    ck_assert_uint_lt(service.longest_wait, 25);
    oak_close(&it);
}
END_TEST

START_TEST(what_is_asked_for_by_name_is_found_or_told)
{
    oak_opened it;
    collected diags;
    oak_diag_sink sink = collect(&diags);
    unsigned space;
    uint32_t at, size;
    ck_assert_int_eq(oak_open_text("mcs51-8k",
                                   " section vars, iram\ncount: ds 2\n section prog, code, at 0\nstart: mov "
                                   "SBUF, #65\nrest: sjmp rest\n",
                                   &it),
                     OAK_OK);
    ck_assert_int_eq(oak_session_address(it.session, "count", &sink, &space, &at, &size), OAK_OK);
    ck_assert_str_eq(it.part->architecture->spaces[space].name, "iram");
    ck_assert_uint_eq(at, 0x30);
    ck_assert_int_eq(oak_session_address(it.session, "SBUF", &sink, &space, &at, &size), OAK_OK);
    ck_assert_uint_eq(at, 0x99);
    ck_assert_int_eq(oak_session_address(it.session, "nothing", &sink, &space, &at, &size), OAK_REFUSED);
    ck_assert_int_eq(oak_session_register(it.session, "dptr"), oak_session_register(it.session, "DPTR"));
    ck_assert_int_ge(oak_session_register(it.session, "r7"), 0);
    ck_assert_int_eq(oak_session_register(it.session, "r8"), -1);
    ck_assert_int_eq(oak_session_register(it.session, NULL), -1);
    uint8_t bytes[8];
    size_t count = 9;
    ck_assert_int_eq(oak_session_take_output(it.session, 0, bytes, 8, &count), OAK_OK);
    ck_assert_uint_eq(count, 0);
    ck_assert_int_eq(
        oak_session_call(it.session, "nothing", &(oak_budget){.cycles = 5}, &sink, &(oak_event){0}),
        OAK_REFUSED);
    ck_assert_int_eq(oak_session_call(it.session, NULL, &(oak_budget){.cycles = 5}, &sink, &(oak_event){0}),
                     OAK_MISUSE);
    oak_close(&it);
    unsigned parts = 0;
    for (const char *name; (name = oak_part_name_at(parts)); parts++) {
        oak_part *part;
        ck_assert_int_eq(oak_part_named(name, &sink, &part), OAK_OK);
        ck_assert_str_eq(part->name, name);
        oak_part_free(part);
    }
    ck_assert_uint_ge(parts, 18);
    ck_assert_ptr_null(oak_part_name_at(parts + 100));
    ck_assert_int_eq(oak_open("avr-32k", "nosuch.asm", &it), OAK_NOT_FOUND);
    ck_assert_ptr_null(it.part);
    ck_assert_int_eq(oak_open("nosuch", "nosuch.asm", &it), OAK_NOT_FOUND);
    ck_assert_int_eq(oak_open(NULL, "nosuch.asm", &it), OAK_MISUSE);
    ck_assert_int_eq(oak_open("avr-32k", NULL, &it), OAK_MISUSE);
    ck_assert_int_eq(oak_open("avr-32k", "x", NULL), OAK_MISUSE);
}
END_TEST

/* What the headers say of stop points that are set twice, and of arriving. */
START_TEST(a_stop_point_set_twice_is_one_and_arriving_is_a_step)
{
    oak_opened it;
    oak_event event;
    const oak_budget most = {.cycles = 100};
    ck_assert_int_eq(oak_open_text("mcs51-8k", "start: nop\nhere: inc a\n sjmp start\n", &it), OAK_OK);
    const oak_chip_ops *ops = it.chip.ops;
    oak_stop stop;
    ck_assert_int_eq(ops->set_stop(it.chip.chip, 1, true), OAK_OK);
    ck_assert_int_eq(ops->set_stop(it.chip.chip, 1, true), OAK_OK);
    ck_assert_int_eq(ops->run(it.chip.chip, 50, UINT64_MAX, &stop), OAK_OK);
    ck_assert_int_eq(stop.reason, OAK_STOP_POINT);
    ck_assert_uint_eq(stop.pc, 1);
    ck_assert_int_eq(ops->set_stop(it.chip.chip, 1, false), OAK_OK);
    ck_assert_int_eq(ops->set_stop(it.chip.chip, 1, false), OAK_OK);
    ck_assert_int_eq(ops->run(it.chip.chip, 50, UINT64_MAX, &stop), OAK_OK);
    ck_assert_int_eq(stop.reason, OAK_STOP_CYCLES);
    ck_assert_int_eq(ops->set_stop(it.chip.chip, 0x20000, true), OAK_OUT_OF_RANGE);
    ck_assert_int_eq(oak_session_reset(it.session), OAK_OK);
    for (unsigned time = 1; time <= 3; time++) { /* it runs until it comes there again */
        ck_assert_int_eq(oak_session_run_to(it.session, "here", &most, &oak_printer, &event), OAK_OK);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_STEP);
        ck_assert_uint_eq(event.stop.pc, 1);
        oak_reading a;
        ck_assert_int_eq(oak_session_value(it.session, "a", &oak_printer, &a), OAK_OK);
        ck_assert_int_eq(a.value, time - 1); /* and the instruction there has not been executed */
    }
    /* Two at one place: each counts, and the run ends once. */
    unsigned one, other;
    ck_assert_int_eq(oak_session_add_stop(it.session, "here", NULL, 0, &oak_printer, &one), OAK_OK);
    ck_assert_int_eq(oak_session_add_stop(it.session, "here", NULL, 0, &oak_printer, &other), OAK_OK);
    ck_assert_int_eq(oak_session_run(it.session, &most, &oak_printer, &event), OAK_OK);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
    ck_assert_uint_eq(oak_session_stop_point(it.session, one)->hits, 1);
    ck_assert_int_eq(oak_session_remove_stop(it.session, one), OAK_OK);
    ck_assert_int_eq(oak_session_run(it.session, &most, &oak_printer, &event), OAK_OK);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
    ck_assert_int_eq(event.stop_point, (int)other);
    oak_close(&it);
}
END_TEST

START_TEST(a_line_port_carries_bytes_both_ways)
{
    oak_line_port a, b;
    uint8_t bytes[10];
    size_t count;
    ck_assert_int_eq(oak_linux_line_pair(&a, &b), OAK_OK);
    ck_assert_int_eq(a.ops->send(a.line, (const uint8_t *)"spin", 4), OAK_OK);
    ck_assert_int_eq(b.ops->receive(b.line, bytes, 10, 1000, &count), OAK_OK);
    ck_assert_uint_eq(count, 4);
    ck_assert_mem_eq(bytes, "spin", 4);
    ck_assert_int_eq(a.ops->receive(a.line, bytes, 10, 1, &count), OAK_OK);
    ck_assert_uint_eq(count, 0);
    b.ops->close(b.line);
    ck_assert_int_eq(a.ops->receive(a.line, bytes, 10, 1, &count), OAK_IO_ERROR);
    a.ops->close(a.line);
    ck_assert_int_eq(oak_linux_line_open("/dev/no-such-line", 9600, &a), OAK_NOT_FOUND);
    ck_assert_int_eq(oak_linux_line_open("/dev/null", 9600, &a), OAK_UNSUPPORTED);
}
END_TEST

START_TEST(what_a_chip_suffers_has_a_level_that_can_be_asked_and_set)
{
    bench b;
    const char *word;
    oak_notice_level usual;
    unsigned kinds = 0;
    bench_open(&b, "mcs51-8k", " org 0\nmain: jb P0.3, main\n sjmp main\n"); /* P0 has no pulls: it floats */
    for (unsigned i = 0; (word = oak_notice_word(i, &usual)); i++, kinds++) {
        ck_assert_int_eq(oak_session_level(b.session, word), usual);
        ck_assert_uint_gt(strlen(oak_notice_meaning(i)), 40);
        for (int level = OAK_NOTICE_OFF; level <= OAK_NOTICE_STOP; level++) {
            ck_assert_int_eq(oak_session_set_level(b.session, word, strlen(word), (oak_notice_level)level),
                             OAK_OK);
            ck_assert_int_eq(oak_session_level(b.session, word), level);
        }
        ck_assert_int_eq(oak_session_set_level(b.session, word, strlen(word), usual), OAK_OK);
    }
    ck_assert_uint_ge(kinds, 9);
    ck_assert_ptr_null(oak_notice_meaning(kinds));
    ck_assert_int_eq(oak_session_level(b.session, "nonsense"), OAK_NOTICE_OFF);
    ck_assert_int_eq(oak_session_set_level(b.session, "nonsense", 8, OAK_NOTICE_STOP), OAK_NOT_FOUND);
    ck_assert_int_eq(oak_session_set_level(b.session, "floating-read", 13, OAK_NOTICE_OFF), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 100, 0).stop.reason, OAK_STOP_CYCLES);
    ck_assert_ptr_null(oak_session_noticed(b.session, 0));
    ck_assert_int_eq(oak_session_set_level(b.session, "floating-read", 13, OAK_NOTICE_WARNING), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 100, 0).stop.reason, OAK_STOP_CYCLES);
    ck_assert_ptr_nonnull(oak_session_noticed(b.session, 0));
    ck_assert_uint_gt(oak_session_noticed(b.session, 0)->count, 1);
    ck_assert_int_eq(oak_session_set_level(b.session, "floating-read", 13, OAK_NOTICE_STOP), OAK_OK);
    oak_event event = bench_run(&b, 100, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_FAULT);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_FLOATING);
    bench_close(&b);
}
END_TEST

RUN_SUITE("session", what_a_chip_suffers_has_a_level_that_can_be_asked_and_set,
          places_are_resolved_in_every_form, local_labels_stretches_and_pins_have_names,
          expressions_read_the_chip, what_is_set_can_be_read_back, conditions_and_counts_narrow_a_stop_point,
          a_budget_and_a_condition_that_never_holds_end_together, pins_are_driven_at_their_cycle,
          a_repeating_drive_does_not_drift, a_stop_point_reached_when_a_pin_changes_is_not_lost,
          changes_since_the_run_began_are_told, a_stored_state_goes_on_as_if_it_had_never_stopped,
          a_wrong_state_file_is_refused, a_session_works_on_any_chip_port,
          a_step_on_a_slow_port_asks_for_no_more_than_it_needs,
          what_a_port_fails_at_is_told_by_the_call_that_has_asked,
          everything_is_opened_by_names_and_routines_are_called_on_every_architecture,
          a_lap_to_its_return_is_one_to_the_place_behind_the_call,
          how_long_an_interrupt_waits_and_takes_is_what_laps_measure, a_reset_forgets_who_had_asked,
          what_is_asked_for_by_name_is_found_or_told, a_stop_point_set_twice_is_one_and_arriving_is_a_step,
          a_line_port_carries_bytes_both_ways)
