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

        include "pins.inc"

; ---------------------------------------------------------------- variables

        section flags, bit, at 0        ; in the byte at 0x20
running: ds  1                  ; the motor is on
was_high: ds 1                  ; the tachometer was high when last seen
new_pulse: ds 1                 ; a time was put into the table

        section vars, iram, at 0x30
trips:  ds   1                  ; how often the guard stopped the motor

; ---------------------------------------------------------------- program

        vector reset, begin

        section prog, code
begin:  mov  sp, #stack-1
        mov  lamps, #0xff       ; all dark
        setb relay
        setb brake
        mov  0x20, #0           ; no flag set
        mov  trips, #0
        call begin_speed
        call begin_log

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

        include "speed.asm"
        include "log.asm"

        section vars            ; behind all others: the stack grows from here
stack:  ds   1
