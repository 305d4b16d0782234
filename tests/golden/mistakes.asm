; mistakes.asm - sixty mistakes, one message each. mistakes.txt has what is said; correct.asm does the same rightly.
        org  xram:0x4000
log:    ds   4
        org  iram:0x90
peak:   ds   1
        org  iram:0x31
plain:  ds   1
        org  bit:0
flag:   ds   1
        org  code:0
start:  mvo  a, #1
        movxx a, @dptr
        dnjz r2, start
        pusch acc
        org_ 5
  lost
        mov  a, #conut
count   equ  3
        mov  r2, cuont
        setb flga
        jmp  strat
        mov  r1, @r0
        mov  dptr, a
        push a
        push r3
        cjne r2, 5, start
        mov  dptr, 5
        mov  @r5, a
        movx a, @dtpr
        mov  a, #300
        mov  a, #-129
        mov  dptr, #65536
        mov  a, 256
        setb 256
        mov  a, log
        mov  a, table
        mov  a, peak
        mov  a, flag
        setb p1
        setb tmod
        clr  plain
        sjmp far
        jz   far
        djnz r2, far
        ljmp p1
a:      nop
p1:     nop
start:  nop
count   equ  4
one     equ  two
two     equ  one
        mov  a, #one
        db   1/0
        db   (1+2
        db   1+
        db   0x1G
        mov  a, #0FFF
        db   99999999999999999999
        db   'ab'
        db   "no end
        db   "a\q"
        db   256
        dw   65536
        db
        ds
        ds   -1
        equ  5
        add  a 5
        db   r3
        mov  a, #iram[5]
        setb plain.2
        mov  c, a.1
        ?
        endif
        endm
        local x
        align 0
        include "no-such-file.inc"
        assert count == 9, "count is wrong"
        error "this board has no kiln"
        vector tmier0, start
        section sec
lamp    bit  p1
table:  db   0
        ds   300
far:    nop
        org  later
later:  nop
