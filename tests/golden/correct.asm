; correct.asm - what mistakes.asm means, without one: nothing is said of it.
        section record, xram, at 0x4000
log:    ds   4
        section upper, iram, at 0x90
peak:   ds   1
        section vars, iram
plain:  ds   1
        section flags, bit
flag:   ds   1
later   equ  0x40
count   equ  3
two     equ  5
one     equ  two
lamp    bit  p1.0
        vector reset, start
        section prog, code
start:  mov  a, #1
        mov  dptr, #log
        movx a, @dptr
        djnz r2, start
        push acc
        mov  a, #count
        setb flag
        mov  a, @r0
        mov  r1, a
        push 3
        cjne r2, #5, start
        mov  dptr, #5
        mov  @r1, a
        mov  a, #low(300)
        mov  r0, #peak
        mov  a, @r0
        mov  c, flag
        setb p1.0
        orl  tmod, #1
        clr  acc.2
        anl  plain, #0xfe
        mov  dptr, #table
        clr  a
        movc a, @a+dptr
        jnz  near
        jmp  far
near:   cpl  lamp
        add  a, #5
        mov  a, #one
        add  a, #0xFF
        mov  a, plain
        pop  acc
        jmp  start
table:  db   1/1, (1+2), 1+1, 0x1F, "ab", "end", "a\\q", low(256)
        dw   0x100
        ds   300
        align 4
        assert count == 3, "count is right"
far:    nop
        jmp  far
