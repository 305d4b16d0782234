/* Devices built from blocks: ports, timers, serial ports and watchdogs with the registers a part file gives them; another
 * maker's layout; register descriptions imported; states; the kiln and the loom. */
#include "support.h"

#include <stdio.h>

enum { MEM = 1 };

#define HEAD                                                                                                 \
    " vector stack, 0x20000800\n vector reset, start\n vector p0, edge\n vector tim0, timer\n"               \
    " vector uart, serial\n org 0x200\n"
#define HANDLERS "edge: b .\ntimer: b .\nserial: b .\n"

static uint32_t peek(bench *b, const char *name)
{
    return (uint32_t)value_of(b, name);
}

START_TEST(a_port_drives_sets_clears_toggles_and_reads_its_pins)
{
    bench b;
    oak_pin pin;
    bench_open(&b, "armv6m-32k",
               HEAD "start: ldr r7, =P0_DIR\n movs r0, #0x0f\n str r0, [r7]\n movs r0, #0x05\n str r0, [r7, "
                    "#P0_OUT - P0_DIR]\n"
                    "a: movs r0, #0x0a\n str r0, [r7, #P0_SET - P0_DIR]\nb: movs r0, #3\n str r0, [r7, "
                    "#P0_CLR - P0_DIR]\n"
                    "c: movs r0, #9\n str r0, [r7, #P0_TGL - P0_DIR]\nd: ldr r6, [r7, #P0_IN - P0_DIR]\n "
                    "movs r0, #0x40\n str r0, [r7, #P0_PULL - P0_DIR]\n"
                    " ldr r5, [r7, #P0_IN - P0_DIR]\n b .\n" HANDLERS);
    static const struct {
        const char *place;
        unsigned out;
    } steps[] = {{"a", 5}, {"b", 15}, {"c", 12}, {"d", 5}};
    ck_assert_int_eq(b.chip.ops->drive_pin(b.chip.chip, 4, OAK_HIGH), OAK_OK);
    ck_assert_int_eq(b.chip.ops->drive_pin(b.chip.chip, 5, OAK_LOW), OAK_OK);
    for (unsigned i = 0; i < 4; i++) {
        ck_assert_int_eq(oak_session_add_stop(b.session, steps[i].place, NULL, 1, &b.sink, NULL), OAK_OK);
        ck_assert_int_eq(bench_run(&b, 1000, 0).stop.reason, OAK_STOP_POINT);
        ck_assert_uint_eq(peek(&b, "P0_OUT"), steps[i].out);
        for (unsigned bit = 0; bit < 4; bit++) {
            ck_assert_int_eq(b.chip.ops->read_pin(b.chip.chip, bit, &pin), OAK_OK);
            ck_assert_int_eq(pin.result, steps[i].out >> bit & 1 ? OAK_HIGH : OAK_LOW);
        }
    }
    ck_assert_int_eq(b.chip.ops->read_pin(b.chip.chip, 6, &pin), OAK_OK);
    ck_assert_int_eq(pin.result, OAK_FLOAT);
    ck_assert_int_eq(bench_run(&b, 1000, 0).stop.reason, OAK_STOP_PARKED);
    ck_assert_uint_eq(peek(&b, "r6"), 0x15); /* pin 4 driven high from outside, 5 low, 6 floats */
    ck_assert_uint_eq(peek(&b, "r5"), 0x55); /* and now 6 is held up */
    ck_assert_int_eq(b.chip.ops->drive_pin(b.chip.chip, 0, OAK_LOW), OAK_OK);
    ck_assert_int_eq(b.chip.ops->read_pin(b.chip.chip, 0, &pin), OAK_OK);
    ck_assert(pin.contention);
    bench_close(&b);
}
END_TEST

START_TEST(an_edge_on_a_pin_interrupts_a_sleeping_core)
{
    bench b;
    bench_open(
        &b, "armv6m-32k",
        HEAD
        "start: ldr r0, =P0_RISE\n movs r1, #2\n str r1, [r0]\n ldr r0, =P0_FALL\n movs r1, #4\n str r1, "
        "[r0]\n"
        " ldr r0, =NVIC_ISER\n movs r1, #1\n str r1, [r0]\n movs r7, #0\n movs r6, #0\nsleep: wfi\n b sleep\n"
        "edge: ldr r0, =P0_PEND\n ldr r1, [r0]\n orrs r7, r1\n adds r6, #1\n str r1, [r0]\n bx lr\ntimer: b "
        ".\nserial: b .\n");
    ck_assert_int_eq(
        oak_session_drive(b.session, "p0.1 = 0 until 1000 cycles, 1 until 2000 cycles, 0", &b.sink), OAK_OK);
    ck_assert_int_eq(
        oak_session_drive(b.session, "p0.2 = 1 until 1500 cycles, 0 until 2500 cycles, 1", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_add_stop(b.session, "edge", NULL, 1, &b.sink, NULL), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT);
    ck_assert_uint_eq(cycles_of(&b), 1000 + 16); /* asleep: the entry begins at once */
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT);
    ck_assert_uint_eq(cycles_of(&b), 1500 + 16);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason,
                     OAK_STOP_PARKED); /* no edge that anybody waits for follows */
    ck_assert_uint_eq(peek(&b, "r7"), 6);
    ck_assert_uint_eq(peek(&b, "r6"), 2);
    bench_close(&b);
}
END_TEST

START_TEST(a_timer_overflows_and_matches_on_the_cycle)
{
    bench b;
    bench_open(&b, "armv7m-256k",
               HEAD "start: ldr r0, =NVIC_ISER\n movs r1, #4\n str r1, [r0]\n ldr r0, =TIM0_CTRL\n movs r1, "
                    "#99\n str r1, [r0, #TIM0_TOP - TIM0_CTRL]\n"
                    " movs r1, #4\n str r1, [r0, #TIM0_PSC - TIM0_CTRL]\n movs r1, #30\n str r1, [r0, "
                    "#TIM0_CMP - TIM0_CTRL]\n movs r1, #7\non: str r1, [r0]\nsleep: wfi\n b sleep\n"
                    "timer: ldr r0, =TIM0_STAT\n ldr r7, [r0]\n str r7, [r0]\n ldr r6, =TIM0_COUNT\n ldr r6, "
                    "[r6]\n bx lr\nedge: b .\nserial: b .\n");
    ck_assert_int_eq(oak_session_add_stop(b.session, "on", NULL, 1, &b.sink, NULL), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT);
    uint64_t on = cycles_of(&b);
    ck_assert_int_eq(oak_session_add_stop(b.session, "timer", NULL, 1, &b.sink, NULL), OAK_OK);
    /* 5 cycles a step, 100 steps a turn: a match after 30 steps of each turn, an overflow at its end. */
    static const unsigned at[] = {150, 500, 650, 1000, 1150};
    for (unsigned i = 0; i < 5; i++) {
        ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT);
        ck_assert_uint_eq(cycles_of(&b) - on, at[i] + 12);
        ck_assert_uint_eq(peek(&b, "TIM0_STAT"), i & 1 ? 1 : 2);
    }
    bench_close(&b);
}
END_TEST

START_TEST(a_timer_drives_its_pin_below_the_compare_value)
{
    bench b;
    bench_open(&b, "armv6m-32k",
               HEAD "start: ldr r0, =P0_DIR\n movs r1, #0x40\n str r1, [r0]\n ldr r0, =TIM0_CTRL\n movs r1, "
                    "#99\n str r1, [r0, #TIM0_TOP - TIM0_CTRL]\n"
                    " movs r1, #25\n str r1, [r0, #TIM0_CMP - TIM0_CTRL]\n movs r1, #9\non: str r1, [r0]\n"
                    "loop: adds r2, #1\n b loop\n" HANDLERS);
    ck_assert_int_eq(oak_session_add_stop(b.session, "on", NULL, 1, &b.sink, NULL), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT);
    uint64_t on = cycles_of(&b);
    unsigned high = 0, seen = 0;
    for (; cycles_of(&b) - on < 4000; seen++) {
        oak_pin pin;
        bench_run(&b, 1, 0);
        ck_assert_int_eq(b.chip.ops->read_pin(b.chip.chip, 6, &pin), OAK_OK);
        bool wanted = (cycles_of(&b) - on) % 100 < 25;
        ck_assert_int_eq(pin.result, wanted ? OAK_HIGH : OAK_LOW);
        high += wanted;
    }
    ck_assert_uint_gt(high, seen / 5);
    bench_close(&b);
}
END_TEST

START_TEST(a_serial_port_takes_ten_bits_a_byte_and_keeps_what_it_sent)
{
    bench b;
    uint8_t sent[16];
    size_t count;
    bench_open(&b, "armv6m-32k",
               HEAD "start: ldr r7, =UART_DATA\n movs r0, #50\n str r0, [r7, #UART_DIV - UART_DATA]\n movs "
                    "r0, #1\n str r0, [r7, #UART_CTRL - UART_DATA]\n"
                    " movs r0, #'w'\nfirst: str r0, [r7]\n movs r0, #'e'\n str r0, [r7]\nfull: ldr r1, [r7, "
                    "#UART_STAT - UART_DATA]\n lsrs r1, r1, #1\n bcc full\n"
                    "room: movs r0, #'b'\n str r0, [r7]\nout: ldr r1, [r7, #UART_STAT - UART_DATA]\n lsrs "
                    "r1, r1, #2\n bcc out\nend1: b .\n" HANDLERS);
    ck_assert_int_eq(oak_session_add_stop(b.session, "first", NULL, 1, &b.sink, NULL), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT);
    uint64_t first = cycles_of(&b);
    ck_assert_int_eq(oak_session_add_stop(b.session, "room", NULL, 1, &b.sink, NULL), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT);
    ck_assert_uint_ge(cycles_of(&b) - first, 500); /* 10 bits of 50 cycles */
    ck_assert_uint_lt(cycles_of(&b) - first, 510);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_PARKED);
    ck_assert_uint_ge(cycles_of(&b) - first, 1500);
    ck_assert_uint_lt(cycles_of(&b) - first, 1510);
    uint64_t at[16];
    ck_assert_int_eq(b.chip.ops->sent_at(b.chip.chip, 0, at, 16, &count), OAK_OK);
    ck_assert_uint_eq(count, 3);
    ck_assert_uint_ge(at[0] - first, 500); /* the first byte is out ten bits behind the store */
    ck_assert_uint_le(at[0] - first, 502);
    ck_assert(at[1] == at[0] + 500 && at[2] - at[1] >= 500 && at[2] - at[1] < 510);
    ck_assert_int_eq(b.chip.ops->sent_at(b.chip.chip, 1, at, 16, &count), OAK_OUT_OF_RANGE);
    ck_assert_int_eq(b.chip.ops->take_output(b.chip.chip, 0, sent, sizeof sent, &count), OAK_OK);
    ck_assert_uint_eq(count, 3);
    ck_assert_mem_eq(sent, "web", 3);
    ck_assert_int_eq(b.chip.ops->take_output(b.chip.chip, 0, sent, sizeof sent, &count), OAK_OK);
    ck_assert_uint_eq(count, 0); /* taken once */
    ck_assert(b.chip.ops->sent_at(b.chip.chip, 0, at, 16, &count) == OAK_OK && count == 0);
    ck_assert_int_eq(b.chip.ops->take_output(b.chip.chip, 1, sent, sizeof sent, &count), OAK_OUT_OF_RANGE);
    ck_assert_int_eq(oak_machine_receive(b.machine, 0, 'q'), OAK_OK);
    ck_assert_uint_eq(peek(&b, "UART_STAT"), 7);
    ck_assert_uint_eq(peek(&b, "UART_DATA"), 'q');
    ck_assert_int_eq(oak_machine_receive(b.machine, 0, 'r'), OAK_OK);
    ck_assert_uint_eq(peek(&b, "UART_STAT"), 15); /* one was lost */
    bench_close(&b);
}
END_TEST

START_TEST(a_watchdog_bites_unless_it_is_fed_in_time)
{
    bench b;
    bench_open(&b, "armv6m-32k",
               HEAD "start: ldr r7, =WDG_CTRL\n movs r0, #5\n str r0, [r7, #WDG_TOP - WDG_CTRL]\n movs r0, "
                    "#1\nrun: str r0, [r7]\n ldr r1, =0x5afe\n movs r3, #4\n"
                    "feed: str r1, [r7, #WDG_FEED - WDG_CTRL]\n ldr r2, =1200\nwait: subs r2, #1\n bne "
                    "wait\n subs r3, #1\n bne feed\nhang: b .\n" HANDLERS);
    ck_assert_int_eq(oak_session_add_stop(b.session, "hang", NULL, 1, &b.sink, NULL), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT); /* fed every 4,800 cycles of 5,000 */
    oak_event event = bench_run(&b, 0, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_FAULT);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_WATCHDOG);
    ck_assert_int_eq(event.stop.pc, value_of(&b, "hang"));
    ck_assert_int_eq(oak_session_add_stop(b.session, "start", NULL, 1, &b.sink, NULL), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT); /* it has reset the chip */
    ck_assert_int_eq(value_of(&b, "r7"), 0);
    ck_assert_int_eq(value_of(&b, "WDG_CTRL"), 0);
    bench_close(&b);
}
END_TEST

/* A port that is no more than a register on the bus drives its pins, as one in a space of its own does. */
START_TEST(a_port_without_a_block_drives_its_pins_wherever_its_register_lies)
{
    FILE *file = fopen("lamps.yaml", "w");
    fprintf(file, "%s",
            "part: lamps\ntitle: a port in memory\narchitecture: armv6m\nclock: 10MHz\ninterrupts: {lines: "
            "8, priority-bits: 2}\nmemories:\n  - {space: mem, kind: rom, at: 0, size: 32KiB}\n  - {space: "
            "mem, kind: ram, at: 0x20000000, size: 4KiB}\nvectors:\n  - {name: stack, at: 0, holds: value}\n "
            " - {name: reset, at: 4}\nregisters:\n  - {name: "
            "LAMPS, at: "
            "0x50000000, size: 32, reset: 8, title: lamps}\nports:\n  - {name: lamps, register: LAMPS, "
            "stage: push-pull, "
            "pins: [\"-\", \"-\", \"-\", \"-\"]}\n");
    fclose(file);
    bench b;
    bench_open_part(&b, "lamps.yaml",
                    " vector stack, 0x20001000\n vector reset, start\n org 0x100\n"
                    "start: ldr r0, =LAMPS\n movs r1, #5\n str r1, [r0]\n ldr r2, [r0]\n movs r1, #2\n"
                    " strb r1, [r0]\nrest: b rest\n");
    ck_assert_int_eq(value_of(&b, "lamps"), 8);
    oak_session_keep_history(b.session, 0);
    bench_run(&b, 0, 5);
    ck_assert_int_eq(value_of(&b, "r2"), 5);
    ck_assert_int_eq(value_of(&b, "lamps"), 5);
    text state = {0};
    oak_text_sink sink = text_sink(&state);
    ck_assert_int_eq(oak_session_write_state(b.session, &sink), OAK_OK);
    bench_run(&b, 0, 0);
    ck_assert_int_eq(value_of(&b, "lamps"), 2);
    oak_event event;
    ck_assert_int_eq(oak_session_back_steps(b.session, 2, &event), OAK_OK);
    ck_assert_int_eq(value_of(&b, "lamps"), 5);
    bench_run(&b, 0, 0);
    ck_assert_int_eq(oak_session_read_state(b.session, state.bytes, state.size, "state", &b.sink), OAK_OK);
    ck_assert_int_eq(value_of(&b, "lamps"), 5);
    ck_assert_int_eq(oak_session_reset(b.session), OAK_OK);
    ck_assert_int_eq(value_of(&b, "lamps"), 8);
    free(state.bytes);
    bench_close(&b);
    remove("lamps.yaml");
}
END_TEST

/* ------------------------------------------------------------------------------------------ part files */

static void write_file(const char *path, const char *contents)
{
    FILE *file = fopen(path, "w");
    ck_assert_ptr_nonnull(file);
    fputs(contents, file);
    fclose(file);
}

static oak_part *load_own(const char *contents, collected *diags)
{
    oak_host host = oak_linux_host();
    oak_diag_sink sink = collect(diags);
    oak_part *part = NULL;
    write_file("own_part.yaml", contents);
    oak_part_load_from(&host, "own_part.yaml", &(oak_part_shelf){SOURCE_FOLDER "/parts", NULL}, &sink, &part);
    return part;
}

/* The registers as another maker lays them out: everything of a timer in two words, a port with other offsets. */
START_TEST(another_makers_registers_drive_the_same_blocks)
{
    collected diags = {0};
    oak_part *part =
        load_own("part: own\nextends: armv6m-32k\ntitle: other registers\nblocks:\n"
                 "  - name: GP\n    kind: port\n    at: 0x50000000\n    pins: 8\n    registers:\n"
                 "      - {name: DATA, offset: 0x40, role: input}\n      - {name: DATA_OUT, offset: 0x44, "
                 "role: output}\n"
                 "      - {name: MODER, offset: 0x80, role: direction}\n"
                 "  - name: CT\n    kind: timer\n    at: 0x50001000\n    interrupt: 7\n    registers:\n"
                 "      - {name: ALL, offset: 0, bits: {GO: 31 runs, TOPV: 23-8 top, DIVIDER: 7-0 divider}, "
                 "does: {GO: run, TOPV: period, DIVIDER: prescale}}\n"
                 "      - {name: NOW, offset: 4, role: count}\n",
                 &diags);
    if (!part) show_collected(&diags);
    ck_assert_ptr_nonnull(part);
    oak_program *program = assemble(part,
                                    " vector stack, 0x20000800\n vector reset, start\n org 0x200\nstart: ldr "
                                    "r0, =GP_MODER\n movs r1, #3\n str r1, [r0]\n"
                                    " ldr r0, =GP_DATA_OUT\n movs r1, #2\n str r1, [r0]\n ldr r0, =CT_ALL\n "
                                    "ldr r1, =1 << CT_ALL_GO | 9 << CT_ALL_TOPV | 1\n str r1, [r0]\n"
                                    " nop\n nop\n nop\n nop\n nop\n nop\n nop\n ldr r2, [r0, #4]\n ldr r3, "
                                    "=GP_DATA\n ldr r3, [r3]\n ldr r4, [r0]\n b .\n",
                                    &diags);
    if (!program) show_collected(&diags);
    ck_assert_ptr_nonnull(program);
    oak_host host = oak_linux_host();
    oak_machine *machine;
    uint32_t outside, value;
    oak_stop stop;
    ck_assert_int_eq(oak_machine_create(&host, part, &machine), OAK_OK);
    ck_assert_int_eq(oak_machine_load(machine, oak_program_image(program), &outside), OAK_OK);
    oak_chip_port chip = oak_machine_port(machine);
    ck_assert_int_eq(chip.ops->run(chip.chip, 10000, UINT64_MAX, &stop), OAK_OK);
    ck_assert_int_eq(stop.reason, OAK_STOP_PARKED);
    chip.ops->read_register(chip.chip, 2, &value);
    ck_assert_uint_eq(value, 4); /* str takes 2 cycles, seven nops 7: 9 cycles, 2 a step */
    chip.ops->read_register(chip.chip, 3, &value);
    ck_assert_uint_eq(value, 2);
    chip.ops->read_register(chip.chip, 4, &value);
    ck_assert_uint_eq(value, 0x80000901);
    oak_machine_free(machine);
    oak_program_free(program);
    oak_part_free(part);
}
END_TEST

START_TEST(faults_in_blocks_are_told_with_line_and_remedy)
{
    static const struct {
        const char *block, *code, *hint;
        unsigned line;
    } all[] = {
        {"  - {name: X, kind: dial, at: 0}\n", "part-value", "Kinds: port, timer, serial, watchdog,", 5},
        {"  - {name: X, kind: timer}\n", "part-value", "Numbers", 5},
        {"  - name: X\n    kind: timer\n    at: 0x50000000\n    registers:\n      - {name: R, offset: 0, "
         "role: perod}\n",
         "part-role", "Roles: run, count, period", 9},
        {"  - name: X\n    kind: timer\n    at: 0x50000000\n    registers:\n      - {name: R, offset: 0, "
         "bits: {A: 0 x}, does: {B: run}}\n",
         "part-role", "List the bit", 9},
        {"  - {name: X, like: NOBODY, at: 0x50000000}\n", "part-value", "comes before", 5},
        {"  - {name: X, kind: timer, at: 0x50000000, drives: p9.3}\n", "part-value", "pa.5", 5},
        {"  - {name: X, kind: timer, at: 0x50000000, interupt: 3}\n", "part-key", "interrupt", 5},
        {"  - {name: X, kind: port, at: 0x40000000, pins: 8, registers: [{name: R, offset: 0}]}\n",
         "part-overlap", "another address", 5},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char contents[700];
        collected diags = {0};
        snprintf(contents, sizeof contents, "part: own\nextends: armv6m-32k\ntitle: wrong\nblocks:\n%s",
                 all[i].block);
        oak_part *part = load_own(contents, &diags);
        ck_assert_ptr_null(part);
        ck_assert_uint_ge(diags.count, 1);
        if (strcmp(diags.one[0].code, all[i].code) || !strstr(diags.one[0].hint, all[i].hint) ||
            diags.one[0].line != all[i].line)
            show_collected(&diags);
        ck_assert_str_eq(diags.one[0].code, all[i].code);
        ck_assert_ptr_nonnull(strstr(diags.one[0].hint, all[i].hint));
        ck_assert_uint_eq(diags.one[0].line, all[i].line);
    }
}
END_TEST

static const char description[] =
    "<?xml "
    "version=\"1.0\"?>\n<device><name>workshop</name><size>32</size><resetValue>0x10</"
    "resetValue><peripherals>\n"
    "<peripheral><name>FAN</name><baseAddress>0x50000000</baseAddress><registers>\n"
    " <register><name>SPEED</name><description>dust extractor\n   "
    "fan</description><addressOffset>0x4</addressOffset>\n"
    "  "
    "<fields><field><name>MODE</name><bitRange>[2:1]</"
    "bitRange><enumeratedValues><enumeratedValue><name>slow</name><value>1</value></enumeratedValue>\n"
    "   <enumeratedValue><name>fast</name><value>#10</value></enumeratedValue></enumeratedValues></field>\n"
    "   "
    "<field><name>ON</name><bitOffset>0</bitOffset></field><field><name>TURNS</name><lsb>8</lsb><msb>15</"
    "msb></field></fields></register>\n"
    " <register><dim>3</dim><dimIncrement>4</dimIncrement><name>LAMP[%s]</name><addressOffset>0x20</"
    "addressOffset><size>16</size></register>\n"
    "</registers></peripheral>\n"
    "<peripheral derivedFrom=\"FAN\"><name>PUMP</name><baseAddress>0x50001000</baseAddress></peripheral>\n"
    "</peripherals></device>\n";

START_TEST(registers_fields_and_meanings_come_from_a_register_description)
{
    collected diags = {0};
    write_file("workshop.svd", description);
    oak_part *part =
        load_own("part: own\nextends: armv6m-32k\ntitle: imported\nimport: workshop.svd\n", &diags);
    if (!part) show_collected(&diags);
    ck_assert_ptr_nonnull(part);
    const oak_part_register *speed = oak_part_find_register(part, "FAN_SPEED", 9);
    ck_assert_ptr_nonnull(speed);
    ck_assert_uint_eq(speed->address, 0x50000004);
    ck_assert_uint_eq(speed->reset, 0x10);
    ck_assert_str_eq(speed->title, "dust extractor fan");
    ck_assert_uint_eq(speed->field_count, 3);
    ck_assert_str_eq(speed->fields[0].name, "TURNS");
    ck_assert_uint_eq(speed->fields[0].width, 8);
    ck_assert_str_eq(speed->fields[1].name, "MODE");
    ck_assert_uint_eq(speed->fields[1].bit, 1);
    ck_assert_uint_eq(speed->fields[1].value_count, 2);
    ck_assert_str_eq(speed->fields[1].values[1].name, "fast");
    ck_assert_uint_eq(speed->fields[1].values[1].value, 2);
    const oak_part_register *lamp = oak_part_find_register(part, "PUMP_LAMP2", 10);
    ck_assert_ptr_nonnull(lamp);
    ck_assert_uint_eq(lamp->address, 0x50001028);
    ck_assert_uint_eq(lamp->bits, 16);
    oak_program *program = assemble(part, " dd FAN_SPEED, FAN_SPEED_MODE, PUMP_SPEED\n", &diags);
    ck_assert_ptr_nonnull(program);
    uint8_t byte;
    ck_assert(oak_image_byte(oak_program_image(program), 4, &byte) && byte == 1);
    oak_program_free(program);
    oak_part_free(part);
    /* And in the report, by name and meaning. */
    char *out, *err;
    write_file("fan.asm", " vector stack, 0x20000800\n vector reset, start\n org 0x200\nstart: ldr r0, "
                          "=FAN_SPEED\n movs r1, #5\n str r1, [r0]\n b .\n");
    ck_assert_int_eq(shell("OAKSPINDLE_PARTS=" SOURCE_FOLDER "/parts " SPINDLE
                           " run fan.asm --part ./own_part.yaml",
                           &out, &err),
                     0);
    if (!strstr(out, "MODE=2 (fast)")) printf("%s%s", out, err);
    ck_assert_ptr_nonnull(strstr(out, "SPEED 0x5 (MODE=2 (fast) ON)"));
    ck_assert_ptr_nonnull(strstr(out, "MODE=2 (fast)"));
    free(out);
    free(err);
}
END_TEST

/* In two ways: as the tool reads it, and by a script that first writes all out. */
START_TEST(a_description_of_everything_is_read_as_an_independent_reader_reads_it)
{
    char *out, *err;
    write_file("own_part.yaml", "part: own\nextends: armv6m-32k\ntitle: imported\nimport: " SOURCE_FOLDER
                                "/tests/svd/workshop.svd\n");
    ck_assert_int_eq(shell("OAKSPINDLE_PARTS=" SOURCE_FOLDER "/parts " SPINDLE
                           " parts ./own_part.yaml --json > own.json && python3 " SOURCE_FOLDER
                           "/tests/svd/compare " SOURCE_FOLDER "/tests/svd/workshop.svd own.json",
                           &out, &err),
                     0);
    ck_assert_str_eq(out, "57 registers, 95 fields, 3 interrupts, 0 differ\n");
    free(out), free(err);
    /* And it would notice. */
    ck_assert_int_eq(shell("sed 's/\"slow\"/\"slack\"/' own.json > other.json; python3 " SOURCE_FOLDER
                           "/tests/svd/compare " SOURCE_FOLDER "/tests/svd/workshop.svd other.json | tail -1",
                           &out, &err),
                     0);
    ck_assert_str_eq(out, "57 registers, 95 fields, 3 interrupts, 24 differ\n");
    free(out), free(err);
    /* What is passed over or left out is noted once. */
    collected diags = {0};
    oak_part *part = load_own("part: own\nextends: armv6m-32k\ntitle: imported\nimport: " SOURCE_FOLDER
                              "/tests/svd/workshop.svd\n",
                              &diags);
    ck_assert_ptr_nonnull(part);
    ck_assert_uint_eq(diags.count, 3);
    ck_assert_uint_eq(diags.one[0].severity, OAK_NOTE);
    ck_assert_ptr_nonnull(strstr(diags.one[0].message, "<colour> in <peripheral>"));
    ck_assert_uint_eq(diags.one[0].line, 192);
    ck_assert_uint_eq(diags.one[0].column, 7);
    ck_assert_ptr_nonnull(strstr(diags.one[1].message, "2 registers are neither 8, 16 nor 32 bits wide"));
    ck_assert_ptr_nonnull(strstr(diags.one[2].message, "4 registers are another view"));
    /* Interrupts are vectors, and what a value means is known of all others, too. */
    ck_assert_uint_eq(part->priority_bits, 3);
    ck_assert_uint_eq(part->interrupt_lines, 32);
    diags.count = 0;
    oak_program *program = assemble(part, " vector GUARD, stop\n org 0x200\nstop: b stop\n", &diags);
    ck_assert_ptr_nonnull(program);
    uint8_t byte;
    ck_assert(oak_image_byte(oak_program_image(program), (16 + 31) * 4 + 1, &byte) && byte == 2);
    const oak_part_register *shaft = oak_part_find_register(part, "LOOM1_SHAFT", 11);
    ck_assert_ptr_nonnull(shaft);
    for (unsigned f = 0; f < shaft->field_count; f++)
        if (strcmp(shaft->fields[f].name, "PICK") == 0) {
            ck_assert_str_eq(oak_field_meaning(&shaft->fields[f], 0), "none");
            ck_assert_str_eq(oak_field_meaning(&shaft->fields[f], 0xA), "raise");
            ck_assert_str_eq(oak_field_meaning(&shaft->fields[f], 0xF), "some");
        }
    oak_program_free(program);
    oak_part_free(part);
    /* Another core has lines of its own. */
    diags.count = 0;
    part = load_own("part: own\nextends: rv32-256k\ntitle: imported\nimport: " SOURCE_FOLDER
                    "/tests/svd/workshop.svd\n",
                    &diags);
    ck_assert_ptr_nonnull(part);
    ck_assert_ptr_nonnull(strstr(diags.one[3].message, "3 interrupts are left out: those of rv32 are lines"));
    oak_part_free(part);
}
END_TEST

#define SVD_HEAD                                                                                             \
    "<device><peripherals>\n<peripheral><name>A</name><baseAddress>0x50000000</baseAddress><registers>\n"
#define SVD_TAIL "</registers></peripheral></peripherals></device>\n"
#define REG(name, at, more)                                                                                  \
    "<register><name>" name "</name><addressOffset>" at "</addressOffset>" more "</register>\n"
#define FIELDS(...) "<fields>" __VA_ARGS__ "</fields>"

START_TEST(wrong_register_descriptions_are_refused_with_their_line)
{
    static const struct {
        const char *text;
        unsigned line, column;
        const char *message;
    } all[] = {
        {"<device>\n<peripherals>\n</device>\n", 3, 3, "not valid XML"},
        {"<device>\n</device>\n", 1, 1, "describes no registers"},
        {"\n<html></html>\n", 2, 1, "it begins with <html>"},
        {"<device><addressUnitBits>16</addressUnitBits><peripherals/></device>", 1, 26, "count bytes"},
        {"<device><peripherals><peripheral><name>A</name>\n<baseAddress>zero</baseAddress></peripheral></"
         "peripherals></device>",
         2, 14, "`zero` is no number"},
        {"<device><peripherals>\n <peripheral><name>A</name></peripheral></peripherals></device>", 2, 2,
         "peripheral `A` has no <baseAddress>"},
        {"<device><peripherals>\n <peripheral "
         "derivedFrom='B'><name>A</name><baseAddress>0</baseAddress></peripheral>"
         "</peripherals></device>",
         2, 2, "derived from `B`, and there is no peripheral"},
        {"<device><peripherals><peripheral><name>A</name><baseAddress>0</baseAddress></peripheral>\n"
         "<peripheral><name>A</name><baseAddress>0</baseAddress></peripheral></peripherals></device>",
         2, 19, "two peripherals are called `A`; the other one is in line 1"},
        {SVD_HEAD "<register><addressOffset>0</addressOffset></register>" SVD_TAIL, 3, 1,
         "a <register> without a <name>"},
        {SVD_HEAD "<register><name>R</name></register>" SVD_TAIL, 3, 1,
         "register `R` has no <addressOffset>"},
        {SVD_HEAD "<cluster><name>C</name></cluster>" SVD_TAIL, 3, 1, "cluster `C` has no <addressOffset>"},
        {SVD_HEAD REG("A B", "0", "") SVD_TAIL, 3, 17, "`A B` cannot be the name"},
        {SVD_HEAD REG("R", "0x", "") SVD_TAIL, 3, 40, "`0x` is no number"},
        {SVD_HEAD REG("R", "0x1FFFFFFFF", "") SVD_TAIL, 3, 40, "is more than"},
        {SVD_HEAD REG("R", "0xF0000000", "") SVD_TAIL, 3, 1, "behind the last address"},
        {SVD_HEAD REG("R", "0", "") REG("S", "0", "") SVD_TAIL, 4, 1,
         "`A_R` (line 3) and `A_S` are both at 0x50000000"},
        {SVD_HEAD REG("S", "2", "<size>16</size>") REG("R", "0", "") SVD_TAIL, 4, 1,
         "are both at 0x50000002"},
        {SVD_HEAD REG("R", "0", "") REG("r", "4", "") SVD_TAIL, 4, 1, "two registers are called"},
        {SVD_HEAD REG("R", "0", "<access>sometimes</access>") SVD_TAIL, 3, 65, "`sometimes` is no access"},
        {SVD_HEAD REG("R%s", "0", "") SVD_TAIL, 3, 17, "has a %s, and no <dim>"},
        {SVD_HEAD REG("R", "0", "<dim>2</dim><dimIncrement>4</dimIncrement>") SVD_TAIL, 3, 17,
         "all 2 of `R`"},
        {SVD_HEAD REG("R%s", "0", "<dim>2</dim>") SVD_TAIL, 3, 59, "no <dimIncrement>"},
        {SVD_HEAD REG("R%s", "0", "<dim>0</dim>") SVD_TAIL, 3, 64, "there are 0 of `R%s`"},
        {SVD_HEAD REG("R%s", "0", "<dim>3</dim><dimIncrement>4</dimIncrement><dimIndex>A,B</dimIndex>")
             SVD_TAIL,
         3, 111, "<dimIndex> has 2 words, <dim> says 3"},
        {SVD_HEAD REG("R%s", "0", "<dim>3</dim><dimIncrement>4</dimIncrement><dimIndex>0-3</dimIndex>")
             SVD_TAIL,
         3, 111, "<dimIndex> has 4 words"},
        {SVD_HEAD REG("R%s", "0", "<dim>3</dim><dimIncrement>4</dimIncrement><dimIndex>C-A</dimIndex>")
             SVD_TAIL,
         3, 111, "<dimIndex> has 0 words"},
        {SVD_HEAD REG("R%s", "0", "<dim>9000</dim><dimIncrement>4</dimIncrement>") SVD_TAIL, 3, 64,
         "9000 is more than 4096"},
        {SVD_HEAD REG("R%s", "0", "<dim>3</dim><dimIncrement>2</dimIncrement>") SVD_TAIL, 3, 1,
         "are both at 0x50000002"},
        {SVD_HEAD REG("R", "0", FIELDS("\n<field><name>F</name></field>")) SVD_TAIL, 4, 1,
         "does not say which bits"},
        {SVD_HEAD REG("R", "0", FIELDS("\n<field><bitRange>[1:0]</bitRange></field>")) SVD_TAIL, 4, 1,
         "<field> without a <name>"},
        {SVD_HEAD REG("R", "0", FIELDS("\n<field><name>F</name><bitRange>[1:2]</bitRange></field>")) SVD_TAIL,
         4, 32, "the bits from 1 down to 2 are none"},
        {SVD_HEAD REG("R", "0", FIELDS("\n<field><name>F</name><lsb>4</lsb><msb>3</msb></field>")) SVD_TAIL,
         4, 27, "the bits from 3 down to 4"},
        {SVD_HEAD REG("R", "0", FIELDS("\n<field><name>F</name><lsb>4</lsb></field>")) SVD_TAIL, 4, 1,
         "a <lsb> without an <msb>"},
        {SVD_HEAD REG("R", "0", FIELDS("\n<field><name>F</name><bitRange>7-4</bitRange></field>")) SVD_TAIL,
         4, 32, "`7-4` is no range of bits"},
        {SVD_HEAD REG("R", "0",
                      FIELDS("\n<field><name>F</name><bitOffset>3</bitOffset><bitWidth>0</bitWidth></field>"))
             SVD_TAIL,
         4, 56, "a field of 0 bits"},
        {SVD_HEAD REG("R", "0", FIELDS("\n<field><name>F</name><bitRange>[32:31]</bitRange></field>"))
             SVD_TAIL,
         4, 1, "bits 31 to 32 of field `F`: the register has 32"},
        {SVD_HEAD REG("R", "0",
                      FIELDS("\n<field><name>F</name><bitRange>[3:0]</bitRange></field>\n"
                             "<field><name>G</name><bitRange>[7:3]</bitRange></field>")) SVD_TAIL,
         5, 1, "fields `F` (line 4) and `G` share bits"},
        {SVD_HEAD REG("R", "0",
                      FIELDS("\n<field><name>F</name><bitRange>[3:0]</bitRange></field>\n"
                             "<field><name>F</name><bitRange>[7:4]</bitRange></field>")) SVD_TAIL,
         5, 1, "two fields are called `F`; the other one is in line 4"},
        {SVD_HEAD REG("R", "0", FIELDS("\n<field derivedFrom='S.F'><name>F</name></field>")) SVD_TAIL, 4, 1,
         "there is no field"},
        {SVD_HEAD REG(
             "R", "0",
             FIELDS("\n<field><name>F</name><bitRange>[3:0]</bitRange><enumeratedValues derivedFrom='V'/>"
                    "</field>")) SVD_TAIL,
         4, 48, "no list of values of this name"},
        {SVD_HEAD REG(
             "R", "0",
             FIELDS("\n<field><name>F</name><bitRange>[3:0]</bitRange><enumeratedValues><enumeratedValue>"
                    "<name>x</name><value>#12</value></enumeratedValue></enumeratedValues></field>"))
             SVD_TAIL,
         4, 104, "`#12` is no number"},
        {SVD_HEAD REG(
             "R", "0",
             FIELDS("\n<field><name>F</name><bitRange>[3:0]</bitRange><enumeratedValues><enumeratedValue>"
                    "<name>x</name></enumeratedValue></enumeratedValues></field>")) SVD_TAIL,
         4, 66, "`x` has no <value>"},
        {SVD_HEAD REG(
             "R", "0",
             FIELDS(
                 "\n<field><name>F</name><bitRange>[3:0]</bitRange><enumeratedValues><enumeratedValue>"
                 "<name>x</name><value>#xxxxxxxxxxxx</value></enumeratedValue></enumeratedValues></field>"))
             SVD_TAIL,
         4, 104, "more than 256 values"},
        {SVD_HEAD "<register derivedFrom='R'><name>R</name></register>" SVD_TAIL, 3, 1, "which is itself"},
        {SVD_HEAD "<register derivedFrom='S'><name>R</name></register>\n<register "
                  "derivedFrom='R'><name>S</name></register>" SVD_TAIL,
         4, 1, "`R`, which is derived from it"},
        {SVD_HEAD
         "<cluster><name>C</name><addressOffset>0</addressOffset>\n<cluster derivedFrom='A.C'><name>D</name>"
         "<addressOffset>4</addressOffset></cluster></cluster>" SVD_TAIL,
         4, 1, "what it is part of"},
        {SVD_HEAD
         "<cluster><name>C</name><addressOffset>0</addressOffset>\n<cluster derivedFrom='A.E'><name>D</name>"
         "</cluster></cluster><cluster><name>E</name><addressOffset>8</addressOffset><cluster "
         "derivedFrom='A.C'><name>F"
         "</name></cluster></cluster>" SVD_TAIL,
         4, 117, "nested more than 16 deep"},
        {SVD_HEAD REG(
             "R", "0",
             "") "</registers><interrupt>\n<name>I</name></interrupt></peripheral></peripherals></device>",
         4, 13, "interrupt `I` has no <value>"},
        {SVD_HEAD REG(
             "R", "0",
             "") "</registers><interrupt><name>I</name><value>1</value></interrupt>\n"
                 "<interrupt><name>J</name><value>1</value></interrupt></peripheral></peripherals></device>",
         5, 1, "interrupts `I` (line 4) and `J` have the numbers 1 and 1"},
        {SVD_HEAD REG("R", "0",
                      "") "</registers>\n<interrupt><name>I</name><value>240</value></interrupt></peripheral>"
                          "</peripherals></device>",
         5, 1, "armv6m has 240 at the most"},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        collected diags = {0};
        write_file("workshop.svd", all[i].text);
        ck_assert_ptr_null(
            load_own("part: own\nextends: armv6m-32k\ntitle: imported\nimport: workshop.svd\n", &diags));
        ck_assert_uint_ge(diags.count, 1);
        ck_assert_str_eq(diags.one[0].code, "register-description");
        ck_assert_msg(strstr(diags.one[0].message, all[i].message) && diags.one[0].line == all[i].line &&
                          (!all[i].column || diags.one[0].column == all[i].column),
                      "%u: %u:%u: %s, not %u:%u: %s", i, (unsigned)diags.one[0].line,
                      (unsigned)diags.one[0].column, diags.one[0].message, all[i].line, all[i].column,
                      all[i].message);
    }
    collected diags = {0};
    ck_assert_ptr_null(
        load_own("part: own\nextends: armv6m-32k\ntitle: imported\nimport: missing.svd\n", &diags));
    ck_assert_str_eq(diags.one[0].code, "no-file");
    /* One that the part that is extended has, too. */
    write_file(
        "workshop.svd",
        "<device><peripherals><peripheral><name>A</name><baseAddress>0x50000000</baseAddress><interrupt>"
        "<name>I</name><value>4</value></interrupt><registers>" REG("R", "0", "") SVD_TAIL);
    diags.count = 0;
    ck_assert_ptr_null(
        load_own("part: own\nextends: armv6m-32k\ntitle: imported\nimport: workshop.svd\n", &diags));
    ck_assert_str_eq(diags.one[0].code, "part-overlap");
    ck_assert_uint_eq(diags.one[0].line, 4);
    ck_assert_ptr_nonnull(strstr(diags.one[0].hint, "without `extends`"));
}
END_TEST

/* Files that are small and mean much: clusters that are derived from each other double with each step; a chain as long as the file. */
START_TEST(no_description_keeps_the_reader_busy)
{
    enum { ROOM = 3000000 };
    char *text = malloc(ROOM);
    for (unsigned which = 0; which < 4; which++) {
        int at = sprintf(text, "%s", SVD_HEAD);
        if (which == 0) /* doubled 15 times over, ten of each */
            for (unsigned level = 0; level < 15; level++) {
                at += sprintf(text + at, "<cluster><name>C%u</name><addressOffset>0</addressOffset>", level);
                for (unsigned i = 0; i < 10; i++)
                    at += sprintf(text + at, "<cluster derivedFrom='A.C%u'><name>I%u</name></cluster>\n",
                                  level + 1, i);
                at += sprintf(text + at, "</cluster>\n");
            }
        if (which == 0)
            at += sprintf(text + at, "<cluster><name>C15</name><addressOffset>0</addressOffset></cluster>");
        for (unsigned i = 0; which == 1 && i < 20000; i++) /* a chain forward */
            at += sprintf(text + at, "<register derivedFrom='R%u'><name>R%u</name></register>\n", i + 1, i);
        if (which == 1) at += sprintf(text + at, REG("R20000", "0", ""));
        if (which == 2) /* copies of copies of copies */
            for (unsigned i = 0; i < 4; i++)
                at += sprintf(
                    text + at,
                    "<cluster><name>C%%s</name><dim>4096</dim><dimIncrement>4</dimIncrement><addressOffset>0"
                    "</addressOffset>");
        if (which == 2) at += sprintf(text + at, "</cluster></cluster></cluster></cluster>");
        for (unsigned i = 0; which == 3 && i < 20000; i++) /* names that are looked for in vain */
            at += sprintf(text + at, "<register derivedFrom='A.B.C.D'><name>R%u</name></register>\n", i);
        at += sprintf(text + at, SVD_TAIL);
        ck_assert_int_lt(at, ROOM);
        collected diags = {0};
        write_file("workshop.svd", text);
        ck_assert_ptr_null(
            load_own("part: own\nextends: armv6m-32k\ntitle: imported\nimport: workshop.svd\n", &diags));
        ck_assert_uint_ge(diags.count, 1);
        ck_assert_uint_le(diags.count, 20);
    }
    free(text);
}
END_TEST

/* ------------------------------------------------------------------------------------------ states and examples */

/* Stopped anywhere and gone on with from a state file, the kiln ends as if it had not been stopped. */
START_TEST(a_state_in_the_middle_of_interrupts_and_devices_goes_on_exactly)
{
    static const char *const drive = "p1.0 = 1 for 300us, 0 for 9700us, repeat";
    static const uint64_t stops[] = {1, 5000, 72005, 216123, 720317, 3000001};
    enum { END = 20000000 };
    bench whole;
    bench_open_file(&whole, "armv7m-256k", SOURCE_FOLDER "/examples/kiln/kiln.asm");
    ck_assert_int_eq(oak_session_drive(whole.session, drive, &whole.sink), OAK_OK);
    bench_run(&whole, END, 0);
    text wanted = {0};
    oak_text_sink sink = text_sink(&wanted);
    ck_assert_int_eq(oak_session_write_state(whole.session, &sink), OAK_OK);
    for (unsigned i = 0; i < sizeof stops / sizeof *stops; i++) {
        bench first, second;
        text state = {0}, result = {0};
        oak_text_sink state_sink = text_sink(&state), result_sink = text_sink(&result);
        bench_open_file(&first, "armv7m-256k", SOURCE_FOLDER "/examples/kiln/kiln.asm");
        ck_assert_int_eq(oak_session_drive(first.session, drive, &first.sink), OAK_OK);
        bench_run(&first, stops[i], 0);
        ck_assert_int_eq(oak_session_write_state(first.session, &state_sink), OAK_OK);
        bench_open_file(&second, "armv7m-256k", SOURCE_FOLDER "/examples/kiln/kiln.asm");
        if (oak_session_read_state(second.session, state.bytes, state.size, "state", &second.sink))
            show_collected(&second.diags);
        ck_assert_int_eq(oak_session_drive(second.session, drive, &second.sink), OAK_OK);
        bench_run(&second, END - cycles_of(&second), 0);
        ck_assert_int_eq(oak_session_write_state(second.session, &result_sink), OAK_OK);
        if (result.size != wanted.size || memcmp(result.bytes, wanted.bytes, wanted.size)) {
            FILE *a = fopen("state_wanted.json", "w"), *c = fopen("state_got.json", "w");
            fwrite(wanted.bytes, 1, wanted.size, a);
            fwrite(result.bytes, 1, result.size, c);
            fclose(a);
            fclose(c);
            ck_abort_msg("stopped after %u cycles the state differs: state_wanted.json, state_got.json",
                         (unsigned)stops[i]);
        }
        free(state.bytes);
        free(result.bytes);
        bench_close(&first);
        bench_close(&second);
    }
    free(wanted.bytes);
    bench_close(&whole);
}
END_TEST

/* The cycles from a pin changing to a place, at many moments. */
static uint64_t longest_way(const char *part, const char *file, const char *before, const char *drive,
                            const char *place, uint64_t from, uint64_t step, unsigned count)
{
    uint64_t worst = 0;
    for (unsigned i = 0; i < count; i++) {
        bench b;
        char wave[120];
        uint64_t at = from + i * step;
        bench_open_file(&b, part, file);
        snprintf(wave, sizeof wave, drive, (unsigned long long)at);
        ck_assert_int_eq(oak_session_drive(b.session, before, &b.sink), OAK_OK);
        ck_assert_int_eq(oak_session_drive(b.session, wave, &b.sink), OAK_OK);
        ck_assert_int_eq(oak_session_add_stop(b.session, place, NULL, 1, &b.sink, NULL), OAK_OK);
        ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT);
        if (cycles_of(&b) - at > worst) worst = cycles_of(&b) - at;
        bench_close(&b);
    }
    return worst;
}

START_TEST(the_kilns_relay_falls_within_the_promised_cycles_of_the_limit_switch)
{
    bench b;
    bench_open_file(&b, "armv7m-256k", SOURCE_FOLDER "/examples/kiln/kiln.asm");
    uint64_t promised = (uint64_t)value_of(&b, "promised");
    bench_close(&b);
    /* Around a step of the control with its report, where all the interrupts and long instructions are. */
    uint64_t worst = longest_way("armv7m-256k", SOURCE_FOLDER "/examples/kiln/kiln.asm",
                                 "p1.0 = 1 for 300us, 0 for 700us, repeat", "p2.0 = 0 until %llu cycles, 1",
                                 "relay_is_off", 7199980, 1, 400);
    ck_assert_uint_le(worst, promised);
    ck_assert_uint_gt(worst, 12); /* an entry at least */
}
END_TEST

START_TEST(the_looms_motor_stops_within_the_promised_cycles_of_a_broken_thread)
{
    bench b;
    bench_open_file(&b, "armv6m-32k", SOURCE_FOLDER "/examples/loom/loom.asm");
    uint64_t promised = (uint64_t)value_of(&b, "promised");
    bench_close(&b);
    uint64_t worst = longest_way("armv6m-32k", SOURCE_FOLDER "/examples/loom/loom.asm",
                                 "p1.0 = 1 for 40ms, 0 for 10ms, repeat", "p1.1 = 1 until %llu cycles, 0",
                                 "motor_is_off", 48000 * 90 - 5, 1, 120);
    ck_assert_uint_le(worst, promised);
    ck_assert_uint_gt(worst, 16);
}
END_TEST

START_TEST(the_kiln_follows_its_programme_and_reports)
{
    bench b;
    uint8_t sent[2000];
    size_t count;
    bench_open_file(&b, "armv7m-256k", SOURCE_FOLDER "/examples/kiln/kiln.asm");
    ck_assert_int_eq(oak_session_drive(b.session, "p1.0 = 1 for 500us, 0 for 500us, repeat", &b.sink),
                     OAK_OK);
    ck_assert_int_eq(oak_session_add_stop(b.session, "stopped", NULL, 1, &b.sink, NULL), OAK_OK);
    oak_event event = bench_run(&b, 72000000ull * 20, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
    ck_assert_int_eq(b.chip.ops->take_output(b.chip.chip, 0, sent, sizeof sent, &count), OAK_OK);
    char *said = (char *)sent;
    said[count < sizeof sent ? count : sizeof sent - 1] = 0;
    ck_assert_ptr_nonnull(strstr(said, "kiln\n8 set, "));
    ck_assert_ptr_nonnull(strstr(said, "1040 set, 499 is, 1000 on\n"));
    ck_assert_ptr_nonnull(strstr(said, " set, 499 is, 0 on\n"));
    ck_assert_int_eq(value_of(&b, "P0_OUT"), 0); /* relay and lamp are off */
    ck_assert_int_eq(value_of(&b, "ticks") / 1000,
                     6); /* 3 and 1, 3 and 1, 2 and 2, 1.1 minutes of half a second */
    bench_close(&b);
}
END_TEST

START_TEST(the_loom_counts_picks_and_keeps_the_one_at_which_a_thread_broke)
{
    bench b;
    bench_open_file(&b, "armv6m-32k", SOURCE_FOLDER "/examples/loom/loom.asm");
    ck_assert_int_eq(oak_session_drive(b.session, "p1.0 = 1 for 40ms, 0 for 10ms, repeat", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "p1.1 = 1 until 2123ms, 0", &b.sink), OAK_OK);
    bench_run(&b, 48000000ull * 2 + 48000 * 200, 0);
    ck_assert_int_eq(value_of(&b, "picks"), 44);
    ck_assert_int_eq(value_of(&b, "spans"), 5);
    ck_assert_int_eq(value_of(&b, "broken_at"), 43);
    ck_assert_int_eq(value_of(&b, "P0_OUT"), 2);
    bench_close(&b);
}
END_TEST

RUN_SUITE("blocks", a_port_drives_sets_clears_toggles_and_reads_its_pins,
          an_edge_on_a_pin_interrupts_a_sleeping_core, a_timer_overflows_and_matches_on_the_cycle,
          a_timer_drives_its_pin_below_the_compare_value,
          a_serial_port_takes_ten_bits_a_byte_and_keeps_what_it_sent,
          a_watchdog_bites_unless_it_is_fed_in_time,
          a_port_without_a_block_drives_its_pins_wherever_its_register_lies,
          another_makers_registers_drive_the_same_blocks, faults_in_blocks_are_told_with_line_and_remedy,
          registers_fields_and_meanings_come_from_a_register_description,
          a_description_of_everything_is_read_as_an_independent_reader_reads_it,
          wrong_register_descriptions_are_refused_with_their_line, no_description_keeps_the_reader_busy,
          a_state_in_the_middle_of_interrupts_and_devices_goes_on_exactly,
          the_kilns_relay_falls_within_the_promised_cycles_of_the_limit_switch,
          the_looms_motor_stops_within_the_promised_cycles_of_a_broken_thread,
          the_kiln_follows_its_programme_and_reports,
          the_loom_counts_picks_and_keeps_the_one_at_which_a_thread_broke)
