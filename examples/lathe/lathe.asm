; lathe.asm - the guard of a small wood lathe, for mcs51-8k at 12 MHz
;
; The spindle may turn only while the door over the chuck is closed. The guard starts and stops the motor, puts the
; brake on, measures the speed with a disc of eight slots, shows it on a bar of eight lamps, and keeps a log.
;
;   p3.0  door     1 = open    a switch to ground: a broken wire reads as open
;   p3.1  start    0 = pressed
;   p3.2  stop     1 = pressed a closed loop: a broken wire reads as pressed
;   p3.3  brake    1 = on      a spring holds it on, also without power
;   p3.4  tacho    eight pulses a turn
;   p3.5  relay    0 = motor on
;   p1    lamps    0 = lit, from p1.0 up
;   p0, p2, p3.6, p3.7          bus of the external RAM with the log
;
; Safety: the relay is off at most 450 machine cycles (0.45 ms) after the door opens, whatever the program does.

; ---------------------------------------------------------------- pins

door    bit  p3.0
start   bit  p3.1
stop    bit  p3.2
brake   bit  p3.3
tacho   bit  p3.4
relay   bit  p3.5
lamps   equ  p1

; ---------------------------------------------------------------- constants

pass    equ  25                 ; cycles of one turn of the main loop: the tick of the tachometer
slots   equ  8                  ; pulses a turn
turns   equ  60000000/slots/pass ; ticks for one turn a minute, as seen by one slot
slowest equ  0x1fff             ; a longer time between pulses counts as standstill
average equ  8                  ; how many pulses are averaged

; ---------------------------------------------------------------- memory

        org  bit:0              ; in the byte at 0x20
running: ds  1                  ; the motor is on
was_high: ds 1                  ; the tachometer was high when last seen
new_pulse: ds 1                 ; a time was put into the table

        org  iram:0x30
ticks:  ds   2                  ; since the last pulse, high byte first
mean:   ds   2                  ; of the table, high byte first
times:  ds   average*2          ; the last times between pulses, high byte first
place:  ds   1                  ; where the next one goes: address in the table
lit:    ds   1                  ; how many lamps are lit
trips:  ds   1                  ; how often the guard stopped the motor
entry:  ds   2                  ; next place in the log, low byte first
stack:  ds   1                  ; and up

        org  xram:0x4000
log:    ds   64*4               ; mean high, mean low, lamps lit, trips
log_end:

; ---------------------------------------------------------------- program

        org  code:0
        jmp  begin

        org  0x30
begin:  mov  sp, #stack-1
        mov  lamps, #0xff       ; all dark
        setb relay
        setb brake
        mov  0x20, #0           ; no flag set
        mov  r0, #times         ; the table begins at standstill
fill:   mov  @r0, #high(slowest)
        inc  r0
        mov  @r0, #low(slowest)
        inc  r0
        cjne r0, #times+average*2, fill
        mov  place, #times
        mov  ticks, #0
        mov  ticks+1, #0
        mov  lit, #0
        mov  trips, #0
        mov  entry, #low(log)
        mov  entry+1, #high(log)

main:   call guard
        call pulse
        jnb  new_pulse, main
        clr  new_pulse
        call mean_time
        call show
        call keep
        sjmp main

; The guard: door and buttons decide over relay and brake.
guard:  mov  c, door
        orl  c, stop
        jc   halt
        jb   running, guarded
        jb   start, guarded     ; not pressed
        clr  brake              ; let go first
        clr  relay
        setb running
guarded: ret

halt:   setb relay              ; the motor first
        setb brake
        jbc  running, tripped
        ret
tripped: inc trips
        ret

; The tachometer: counts ticks, and puts them into the table at a falling edge.
pulse:  inc  ticks+1
        mov  a, ticks+1
        jnz  counted
        inc  ticks
        mov  a, ticks
        cjne a, #high(slowest)+1, counted
        mov  ticks, #high(slowest)      ; stays there
        mov  ticks+1, #low(slowest)
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
        mov  ticks, #0
        mov  ticks+1, #0
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
        mov  a, r7
        rrc  a
        mov  r7, a
        mov  a, r6
        rrc  a
        mov  r6, a
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

; The log: four bytes for every pulse, in a ring.
keep:   mov  dpl, entry
        mov  dph, entry+1
        mov  a, mean
        movx @dptr, a
        inc  dptr
        mov  a, mean+1
        movx @dptr, a
        inc  dptr
        mov  a, lit
        movx @dptr, a
        inc  dptr
        mov  a, trips
        movx @dptr, a
        inc  dptr
        mov  a, dph
        cjne a, #high(log_end), kept
        mov  dptr, #log         ; 256 bytes are full: the high byte has changed
kept:   mov  entry, dpl
        mov  entry+1, dph
        ret

; Ticks between pulses at 400, 800, ... 3200 turns a minute.
limits: dw   turns/400, turns/800, turns/1200, turns/1600
        dw   turns/2000, turns/2400, turns/2800, turns/3200

; What the lamps show for 0 to 8 of them.
bars:   db   0b11111111, 0b11111110, 0b11111100, 0b11111000, 0b11110000
        db   0b11100000, 0b11000000, 0b10000000, 0b00000000

        end
