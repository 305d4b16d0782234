/ The counter of the peg lathe: a light barrier sees every peg, four digits show the batch, a button ends it.
/
/   ports   RAM chips 0 and 1 the segments, ROM chip 0 the digits' lines, ROM chip 8 the barrier (0) and
/           the button (1, low while it is down); the test pin is low while the counter is to hold

        section bank0, ram, at 0        / registers of 16 characters
batch:  ds   16                         / the batch, units first
day:    ds   16                         / all pegs of the day, six digits
        section bank1, ram, at 0x100
kept:   ds   256                        / a register for each of the last 16 batches

        section beside0, status, at 0   / four status characters beside each of them
seen:   ds   1                          / register 0: the barrier
down:   ds   1                          /             how long the button was down
which:  ds   1                          /             the digit that is shown
line:   ds   1                          /             and its line
        section beside2, status, at 8
next:   ds   1                          / register 2: where the next batch goes
        section others, status, at 64
filled: ds   64                         / bank 1, the first beside each: one is there

        section prog, code, at 0
start,  fim  p1, batch
        src  p1
        ldm  1
        wr3                     / the first line
main,   jms  show
        jms  look
        jms  button
        jun  main

/ One digit: all lines off, its segments, its line on; the next one next time.
show,   fim  p1, batch
        src  p1
        rd2                     / which
        xch  r5
        ldm  0
        wrr
        xch  r4
        src  p2
        rdm                     / what stands there
        xch  r1
        ldm  shapes >> 4 & 15
        xch  r0
        fin  p3
        ld   r7
        wmp                     / a to d, chip 0
        fim  p1, 0x40
        src  p1
        ld   r6
        wmp                     / e to g, chip 1
        fim  p1, batch
        src  p1
        rd3
        wrr
        clc
        ral
        jcn  c, first
        wr3
        rd2
        iac
        wr2
        bbl  0
first,  ldm  1
        wr3
        ldm  0
        wr2
        bbl  0

/ The barrier: a peg counts where it comes, and not while the counter is to hold.
look,   fim  p0, 0x80
        src  p0
        rdr
        rar
        tcc
        xch  r10                / 1: a peg
        fim  p1, batch
        src  p1
        rd0
        xch  r11                / and before
        ld   r10
        wr0
        jcn  z, same
        ld   r11
        jcn  nz, same
        jcn  t0, same
count,  fim  p2, batch
        ldm  16 - 4
        xch  r6
        jms  bump
        fim  p2, day
        ldm  16 - 6
        xch  r6
        jms  bump
same,   bbl  0

/ Adds one to the decimal number at p2; r6 counts its digits up to 0.
bump,   stc
digit,  src  p2
        ldm  0
        adm
        daa
        wrm
        inc  r5
        isz  r6, digit
        bbl  0

/ The button: down for eight looks in a row, once, ends the batch.
button, fim  p0, 0x80
        src  p0
        rdr
        rar
        rar
        fim  p1, batch
        src  p1
        jcn  c, up
        rd1
        iac
        jcn  c, same            / for long
        wr1
        xch  r10
        ldm  8
        clc
        sub  r10
        jcn  nz, same
        jun  finish
up,     ldm  0
        wr1
        bbl  0

/ The batch goes to the next place of bank 1, and begins anew.
finish, fim  p1, 0x20
        src  p1
        rd0
        xch  r8
        ld   r8
        iac
        wr0                     / behind the last place comes the first
        fim  p2, batch
        ldm  0
        xch  r9
        ldm  16 - 4
        xch  r6
copy,   src  p2
        rdm
        xch  r10
        ldm  0
        wrm
        ldm  1
        dcl                     / bank 1
        src  p4
        ld   r10
        wrm
        ldm  0
        dcl
        inc  r5
        inc  r9
        isz  r6, copy
        ldm  1
        dcl
        src  p4
        wr0
        ldm  0
        dcl
        bbl  0

        align 16
shapes: db   0x3f, 0x06, 0x5b, 0x4f, 0x66, 0x6d, 0x7d, 0x07, 0x7f, 0x6f
