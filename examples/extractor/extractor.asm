; extractor.asm — runs the dust extractor of the workshop, for mcs51-8k at 11.0592 MHz
;
; The extractor runs while one of the two machines runs, and a while longer. A vane in the duct gives pulses: the flow. When
; it is weak though the motor runs, the bag is full and the lamp is lit. Two digits show the flow, and a line a tenth of a
; second goes out of the serial port at 9600 bits a second. A typed z sets the counts of the day to zero.
;
;   p1.0  saw      0 = it runs      p1.4  ones     0 = selects the digit of ones
;   p1.1  planer   0 = it runs      p1.5  tens     0 = selects the digit of tens
;   p1.2  motor    0 = on           p2    segments a to g, 0 = lit
;   p1.3  full     0 = lamp lit     p3.2  vane     a falling edge for each slot
;
; Timer 0 ticks every 10 ms, timer 1 makes the bit rate. The tick is late by at most `latest` cycles: it waits for one
; instruction, or for the vane or the serial port, whose handlers are short.

saw     bit  p1.0
planer  bit  p1.1
motor   bit  p1.2
full    bit  p1.3
ones    bit  p1.4
tens    bit  p1.5
segments equ p2
vane    bit  p3.2

clock   equ  11_059_200
rate    equ  9600
tick_hz equ  100
reload  equ  0x10000 - clock / 12 / tick_hz     ; exact: 9216 cycles
latest  equ  40
span    equ  10                 ; ticks of a measurement
after_run equ 30                ; ticks the motor runs on
weak    equ  12                 ; pulses of a measurement: fewer mean a full bag
settle  equ  50                 ; ticks the motor has to come up to speed

        section flags, bit, at 0        ; in the byte at 0x20
due:    ds   1                  ; a measurement has ended
busy:   ds   1                  ; a byte is on its way out
clear:  ds   1                  ; somebody typed z

        section vars, iram, at 0x30
ticks:  ds   1                  ; of this measurement
pulses: ds   1                  ; counted so far
flow:   ds   1                  ; pulses of the last measurement
running: ds  1                  ; ticks the motor still has to run
since:  ds   1                  ; ticks it has run, up to 255
shown:  ds   2                  ; segments of the digits, ones first
digit:  ds   1                  ; which one is lit
starts: ds   1                  ; how often the motor was started today
queue:  ds   16                 ; bytes to send: a ring
head:   ds   1                  ; where the next one is put
tail:   ds   1                  ; where the next one is taken
stack:  ds   24

        vector reset, begin
        vector external0, slot
        vector timer0, tick
        vector serial, line

        section prog, code
begin:  mov  sp, #stack-1
        mov  0x20, #0
        mov  r0, #ticks         ; all of the RAM above the flags
wipe:   mov  @r0, #0
        inc  r0
        cjne r0, #stack, wipe
        mov  head, #queue
        mov  tail, #queue
        mov  shown, #0xff
        mov  shown+1, #0xff
        mov  tmod, #0x21        ; timer 0: 16 bits, timer 1: 8 bits with reload
        mov  th0, #high(reload)
        mov  tl0, #low(reload)
        mov  th1, #low(-(clock / 12 / 32 / rate))
        mov  tl1, #low(-(clock / 12 / 32 / rate))
        mov  scon, #0x50        ; mode 1, receiving
        setb it0                ; edges
        setb tr0
        setb tr1
        setb pt0                ; the tick before all others
        mov  ie, #0x93          ; all: external 0, timer 0, serial

main:   jbc  clear, wiped
        jnb  due, main
        clr  due
        call watch
        call show
        call report
        sjmp main
wiped:  mov  starts, #0
        sjmp main

; The lamp: weak flow after the motor had time to come up to speed.
watch:  jb   motor, fine
        mov  a, since
        clr  c
        subb a, #settle
        jc   watched            ; too early to tell
        mov  a, flow
        subb a, #weak
        jnc  fine
        clr  full
        ret
fine:   setb full
watched: ret

; The flow in two digits.
show:   mov  a, flow
        mov  b, #10
        div  ab
        mov  dptr, #shapes
        movc a, @a+dptr
        mov  shown+1, a
        mov  a, b
        movc a, @a+dptr
        mov  shown, a
        ret

; "flow 23 on 4" and a line end: the flow, whether the motor runs, how often it was started.
report: mov  dptr, #text_flow
        call send_text
        mov  a, flow
        call send_number
        mov  dptr, #text_on
        jnb  motor, say
        mov  dptr, #text_off
say:    call send_text
        mov  a, starts
        call send_number
        mov  a, #'\n'
        ; and on into send

; Puts the byte in a into the ring; waits while it is full. Changes r0, r1.
send:   mov  r0, head
        mov  @r0, a
        inc  r0
        cjne r0, #queue+16, round
        mov  r0, #queue
round:  mov  a, r0
wait:   cjne a, tail, room      ; one place stays free
        sjmp wait
room:   clr  es
        mov  head, r0
        jb   busy, sent         ; the interrupt goes on by itself
        setb busy
        setb ti                 ; begins it
sent:   setb es
        ret

send_text:
        clr  a
        movc a, @a+dptr
        jz   ended
        inc  dptr
        call send
        sjmp send_text
ended:  ret

; Sends a in decimal, two digits.
send_number:
        mov  b, #10
        div  ab
        push b
        add  a, #'0'
        call send
        pop  acc
        add  a, #'0'
        jmp  send

; ---------------------------------------------------------------- interrupts

; A slot of the vane has passed.
slot:   inc  pulses
        reti

; Every 10 ms: the timer is set anew, with what it has counted meanwhile; then digits, motor, measurement.
tick:   clr  tr0                ; it stands still for 11 cycles, up to the end of setb
        push psw
        push acc
        mov  a, tl0
        add  a, #low(reload + 11)
        mov  tl0, a
        mov  a, th0
        addc a, #high(reload + 11)
        mov  th0, a
        setb tr0
ticked: setb ones               ; both digits dark while the segments change
        setb tens
        inc  digit
        mov  a, digit
        jb   acc.0, left
        mov  segments, shown
        clr  ones
        sjmp lit
left:   mov  segments, shown+1
        clr  tens
lit:    mov  c, saw             ; one of them at 0 is enough
        anl  c, planer
        jc   idle
        mov  running, #after_run
        jnb  motor, counts
        clr  motor
        inc  starts
        mov  since, #0
        sjmp counts
idle:   mov  a, running
        jz   halt
        dec  running
        sjmp counts
halt:   setb motor
counts: mov  a, since
        inc  a
        jz   long
        mov  since, a
long:   inc  ticks
        mov  a, ticks
        cjne a, #span, done
        mov  ticks, #0
        mov  flow, pulses
        mov  pulses, #0
        setb due
done:   pop  acc
        pop  psw
        reti

; The serial port has sent a byte, or received one.
line:   push psw
        push acc
        jnb  ri, sends
        clr  ri
        mov  a, sbuf
        cjne a, #'z', sends
        setb clear
sends:  jnb  ti, handled
        clr  ti
        mov  a, tail
        cjne a, head, more
        clr  busy
        sjmp handled
more:   push 0x00               ; r0
        mov  r0, a
        mov  sbuf, @r0
        inc  r0
        cjne r0, #queue+16, kept
        mov  r0, #queue
kept:   mov  tail, r0
        pop  0x00
handled: pop acc
        pop  psw
        reti

; ---------------------------------------------------------------- data

; Segments g to a of the digits, 0 is lit.
shapes: db   0xc0, 0xf9, 0xa4, 0xb0, 0x99, 0x92, 0x82, 0xf8, 0x80, 0x90
text_flow: db "flow ", 0
text_on: db " on ", 0
text_off: db " off ", 0
