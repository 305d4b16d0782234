/* cmd_run.c — spindle run: simulate a program until something stops it, and report. */
#include "cli.h"

static int run(cli *self, int argc, const char **argv)
{
    const cli_runner runner = {.of = &command_run};
    return cli_run(self, &runner, argc, argv);
}

const command command_run = {
    "run",
    "simulate a program and report what became of it",
    "usage: spindle run PROGRAM... --part PART [options]\n"
    "\n"
    "Runs PROGRAM (source files, or one image: Intel HEX, S-records, .bin) on the chip\n"
    "until something stops it: a stop point, a budget, a jump to itself that nothing can\n"
    "wake (parked), or a fault. Then it reports where, why, after how many cycles, and what\n"
    "the registers and pins hold. A fault ends with exit code 3.\n"
    "\n"
    "  -p, --part PART       the microcontroller, by name or as a path to a part file\n"
    "      --clock F         clock frequency, as 12MHz; the part's own when not given\n"
    "      --stop-at PLACE   a label, label+4, file.asm:27 or 0x0123; repeat for more;\n"
    "                        'PLACE if CONDITION' and 'PLACE every N' narrow it down\n"
    "      --steps N         stop after N instructions\n"
    "      --cycles N        stop after N cycles\n"
    "      --time T          stop after simulated time: 5ms, 1.5s, 250us; usually 10s, and\n"
    "                        with --pty only when somebody ends it\n"
    "      --set EXPR=VALUE  before the run, set a register, cell, bit or pin; repeat\n"
    "      --drive WAVE      drive a pin over time: 'p1.0 = 1 until 40ms, 0 bounce 2ms',\n"
    "                        'p3.4 = clock 1kHz', 'p3.0 = bytes \"go\" at 9600'; repeat\n"
    "      --notice KIND=LEVEL what a chip suffers silently, as contention: off, warning or\n"
    "                        stop; `spindle explain notices` lists the kinds\n"
    "      --show WHAT       also show an expression ('xram[0x4000:2]', 'count as bin'), a\n"
    "                        stretch of memory ('iram[0x30..0x4f]'), 'changes', or chips of\n"
    "                        memory ('chips ram0 ram4..ram7', 'chips all'); repeat\n"
    "      --state-in F      begin from a state file\n"
    "      --state-out F     write the state at the end; --state-in takes it\n"
    "  -s, --symbols F       labels and lines for a HEX file, from `spindle asm --symbols F`\n"
    "      --base ADDRESS    where a raw binary (.bin) begins; 0 when not given\n"
    "      --check-reads     reading RAM of which nothing was written since reset is a fault, on parts\n"
    "                        that can tell; a word of which a byte was written is none\n"
    "      --data-runs       executing what the source defines as data is no fault\n"
    "      --board FILE      the board around the chip: lamps, buttons, motors; docs/boards.md\n"
    "      --act DEED        do something on the board: 'door open at 150ms'; repeat\n"
    "      --attach NAME     a terminal of the board is this terminal; with --pace 1\n"
    "      --as-is           what it sends reaches this terminal with its control sequences;\n"
    "                        otherwise they are shown\n"
    "      --pty NAME        the same at a pseudo-terminal, for any terminal program\n"
    "      --given FILE:TRIAL  what a trial is given (docs/trials.md); TRIAL/3: its third case\n"
    "      --stimuli FILE    drive pins as a file says, a line each; docs/stimuli.md\n"
    "      --seed N          what bounce and random begin with; the same seed, the same run\n"
    "      --record WHAT     record a pin, a port, all named ones (pins), or an expression\n"
    "      --mark PLACE      record each moment at which a place is reached\n"
    "      --dump F.vcd      write what was recorded as a value-change dump\n"
    "      --lap 'FROM to TO' measure from one place to another: count, shortest, longest;\n"
    "                     also from and to `PIN rises`, `PIN falls`, and to `its return`\n"
    "      --pace SPEED      1 runs at the speed of the chip, 0.1 or 10% slower\n"
    "  -b, --brief           only why and where it stopped, and what --show asks for\n"
    "  -I, --include FOLDER where included files are looked for, too; repeat for more\n"
    "  -w, --warn CODE=LEVEL  off, on or error; repeat. A comment allow(CODE) silences a line\n"
    "      --json            print everything as one JSON document\n"
    "\n"
    "expressions: registers, a  r3; pins, p1.3; special registers and their bits, TR0; cells,\n"
    "iram[0x30]  mem[0x20000000:4]; variables and labels of the program; with C operators\n"
    "\n"
    "examples:\n"
    "  spindle run lathe.asm --part mcs51-8k --stop-at door_opened\n"
    "  spindle run lathe.hex --part mcs51-8k --cycles 20000 --show 'iram[0x30..0x3f]'\n"
    "  spindle run lathe.asm --part mcs51-8k --stop-at 'measure if a > 100' --set p1.0=0\n",
    run,
};
