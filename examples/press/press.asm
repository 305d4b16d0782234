; press.asm — watches over a veneer press with eight clamps, on a z80-32k.
;
;   LATCH   eight lamps, one over each clamp: lit while its clamp is closed; then how much of the gluing time is left
;   INPUT   a switch in each clamp: 1 = closed
;   UART    9600 bits a second, a line whenever something happens
;   C0      interrupts a hundred times a second
;   NMI     the stop button: the press is not watched any more until the next reset
;
; When all eight are closed the glue begins to set. A clamp that opens too early is told with its number, and the time begins anew.

clock    equ  4000000
tick_hz  equ  100
baud     equ  9600

setting  equ  200               ; ticks that the glue takes: short, so that it can be watched
eighth   equ  setting / 8       ; each of them is a lamp
all      equ  0xff

; ---------------------------------------------------------------- variables

         section vars, ram
clamps:  ds   1                 ; as they were looked at last
left:    ds   1                 ; ticks until the glue is hard, 0: it is not pressed, or done
done:    ds   1                 ; 1: it was pressed, and is hard
ticks:   ds   1                 ; of the interrupt, that nobody has taken yet
early:   ds   1                 ; how often a clamp was opened too early
stopped: ds   1                 ; 1: somebody has pressed the button
stack:   ds   64
top:

; ---------------------------------------------------------------- vectors

         vector reset, start
         vector nmi, stop_it

         section table, mem
         align 256
handlers:
         dw   tick              ; line 0, the counter

; ---------------------------------------------------------------- program

         section prog, mem
start:   ld   sp, top
         ld   a, high(handlers)
         ld   i, a
         im   2
         call open_uart
         call open_counter
         xor  a
         ld   hl, clamps        ; RAM holds anything at first
         ld   b, stack - clamps
.clear:  ld   (hl), a
         inc  hl
         djnz .clear
         out  (LATCH), a
         ld   hl, hello
         call send
         ei

; One turn for each tick.
main:    halt
         ld   a, (stopped)
         or   a
         jr   nz, .over
         ld   hl, ticks
         ld   a, (hl)
         or   a
         jr   z, main           ; something else has woken it
         dec  (hl)
         call look
         call count
         jr   main

.over:   di                     ; the button: all lamps out, and nothing more
         xor  a
         out  (LATCH), a
         ld   hl, button
         call send
.out:    in   a, (UART_STAT)
         bit  1, a              ; SENT: the last bit is on its way
         jr   z, .out
.rest:   halt
         jr   .rest

; Looks at the clamps; tells of one that opened while the glue sets.
look:    in   a, (INPUT)
         ld   c, a
         ld   a, (clamps)
         cp   c
         ret  z
         ld   b, a
         ld   a, c
         ld   (clamps), a
         cpl
         and  b                 ; those that have been opened now
         ld   b, a
         ld   a, (left)
         or   a
         jr   z, .show
         ld   a, b
         or   a
         call nz, too_early
.show:   ld   a, (clamps)
         cp   all
         jr   z, begin
         ld   hl, done
         ld   (hl), 0
         out  (LATCH), a
         ret

begin:   ld   a, (done)
         or   a
         ret  nz
         ld   a, setting
         ld   (left), a
         ld   a, all
         out  (LATCH), a
         ld   hl, pressed
         jp   send

; One of the clamps in b has been opened too early: the time begins anew when it is closed again.
too_early:
         ld   a, '0'
.which:  inc  a
         rrc  b
         jr   nc, .which
         push af
         ld   hl, opened
         call send
         pop  af
         call put
         ld   hl, line_end
         call send
         ld   hl, early
         inc  (hl)
         xor  a
         ld   (left), a
         ret

; A tick of the gluing time: every eighth of it one lamp goes out.
count:   ld   a, (left)
         or   a
         ret  z
         dec  a
         ld   (left), a
         jr   z, hard
         ld   b, 0              ; a bar as long as there are eighths left
.bar:    scf
         rl   b
         sub  eighth
         jr   nc, .bar
         ld   a, b
         out  (LATCH), a
         ret
hard:    xor  a
         out  (LATCH), a
         inc  a
         ld   (done), a
         ld   hl, ready
         jp   send

; ---------------------------------------------------------------- devices

open_uart:
         ld   a, low(clock / baud)
         out  (UART_DIVL), a
         ld   a, high(clock / baud)
         out  (UART_DIVH), a
         ld   a, 0x80           ; EN
         out  (UART_CTRL), a
         ret

steps    equ  250               ; from zero to zero
open_counter:
         ld   a, clock / tick_hz / steps / 16
         out  (C0_STEP), a
         ld   a, steps
         out  (C0_TOP), a
         ld   a, 0xd0           ; RUN, IE, SLOW
         out  (C0_CTRL), a
         ret

; Sends the text at hl, up to a 0.
send:    ld   a, (hl)
         or   a
         ret  z
         call put
         inc  hl
         jr   send

; Sends the character in a.
put:     push af
.wait:   in   a, (UART_STAT)
         bit  0, a              ; ROOM
         jr   z, .wait
         pop  af
         out  (UART_DATA), a
         ret

; ---------------------------------------------------------------- interrupts

tick:    push af                ; inc changes the flags
         push hl
         ld   hl, ticks
         inc  (hl)
         pop  hl
         pop  af
         ei
         reti

stop_it: push hl
         ld   hl, stopped
         ld   (hl), 1
         pop  hl
         retn

hello:    db  "veneer press", 13, 10, 0
pressed:  db  "all closed", 13, 10, 0
opened:   db  "too early: clamp ", 0
ready:    db  "hard: open the press", 13, 10, 0
button:   db  "stopped"
line_end: db  13, 10, 0
