; speed.asm - measures the speed and shows it: the tachometer, the mean of its last times, the bar of lamps

pass    equ  25                 ; cycles of one turn of the main loop: the tick of the tachometer
slots   equ  8                  ; pulses a turn
turns   equ  60000000/slots/pass ; ticks for one turn a minute, as seen by one slot
slowest equ  0x1fff             ; a longer time between pulses counts as standstill
average equ  8                  ; how many pulses are averaged
step    equ  400                ; turns a minute for one lamp more

        section vars
ticks:  ds   2                  ; since the last pulse, high byte first
mean:   ds   2                  ; of the table, high byte first
times:  ds   average*2          ; the last times between pulses, high byte first
place:  ds   1                  ; where the next one goes: address in the table
lit:    ds   1                  ; how many lamps are lit

; Sets a 16-bit variable, high byte first.
set16   macro variable, value
        mov  variable, #high(value)
        mov  variable+1, #low(value)
        endm

; Rotates a register right through the carry.
rotate  macro reg
        mov  a, reg
        rrc  a
        mov  reg, a
        endm

        section prog
begin_speed:
        mov  r0, #times         ; the table begins at standstill
.fill:  mov  @r0, #high(slowest)
        inc  r0
        mov  @r0, #low(slowest)
        inc  r0
        cjne r0, #times+average*2, .fill
        mov  place, #times
        mov  lit, #0
        set16 ticks, 0
        ret

; The tachometer: counts ticks, and puts them into the table at a falling edge.
pulse:  inc  ticks+1
        mov  a, ticks+1
        jnz  counted
        inc  ticks
        mov  a, ticks
        cjne a, #high(slowest)+1, counted
        set16 ticks, slowest    ; stays there
        jmp  store              ; standstill is a measurement too
counted: jb  tacho, rises
        jbc  was_high, store
        ret
rises:  setb was_high
        ret
store:  mov  r0, place
        mov  @r0, ticks
        inc  r0
        mov  @r0, ticks+1
        inc  r0
        cjne r0, #times+average*2, stored
        mov  r0, #times         ; round again
stored: mov  place, r0
        set16 ticks, 0
        setb new_pulse
        ret

; The mean of the table: a 16-bit sum, divided by eight.
mean_time:
        mov  r0, #times
        mov  r2, #average
        mov  r6, #0             ; r7:r6 is the sum
        mov  r7, #0
sum:    inc  r0
        mov  a, @r0             ; low byte
        add  a, r6
        mov  r6, a
        dec  r0
        mov  a, @r0             ; high byte
        addc a, r7
        mov  r7, a
        inc  r0
        inc  r0
        djnz r2, sum
        mov  r2, #3             ; eight is two to the three
half:   clr  c
        rotate r7
        rotate r6
        djnz r2, half
        mov  mean, r7
        mov  mean+1, r6
        ret

; The lamps: one for every limit of the table that the mean does not pass.
show:   mov  dptr, #limits
        mov  r2, #8
        mov  r3, #0             ; lamps to light
limit:  clr  a
        movc a, @a+dptr         ; high byte of the limit
        mov  r4, a
        mov  a, #1
        movc a, @a+dptr         ; low byte
        clr  c
        subb a, mean+1          ; limit - mean: 16 bits, only the borrow counts
        mov  a, r4
        subb a, mean
        jc   enough             ; slower than this limit
        inc  r3
        inc  dptr
        inc  dptr
        djnz r2, limit
enough: mov  lit, r3
        mov  a, r3
        mov  dptr, #bars
        movc a, @a+dptr
        mov  lamps, a
        ret

; Ticks between pulses at 400, 800, ... 3200 turns a minute.
limits:
        repeat 8, n
        dw   turns/((n+1)*step)
        endr

; What the lamps show for 0 to 8 of them: 0 is lit.
bars:
        repeat 9, n
        db   low(0xff << n)
        endr
        assert $ - bars == 9, "one pattern for each number of lamps"
