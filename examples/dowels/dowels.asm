; dowels.asm - the dowel counter: dowels fall through a light barrier, and the time they take tells how long they are.
;
;   pt.0  barrier  1 = a dowel is in the light barrier
;   pp.0  lamp     1 = lit: the last piece was too long
;   ps.0, ps.1     the joiner asks: w width, n pieces, l the longest; 9600 bit/s
;   ps.2, ps.3     the log: a line for each piece
;
; Channel 0 of the timer keeps the count at both edges of the barrier; the difference is how long a dowel was in it.

lamp    equ  1                             ; bits of their ports
barrier equ  1
ready   equ  0x80                          ; of a serial port's status: there is room for a byte
joiner  equ  &SCI0BD                       ; where the registers of the serial ports begin
log     equ  &SCI1BD
status  equ  4                             ; and how far behind that these lie
byte    equ  7

; ---------------------------------------------------------------- settings, filled in by start-up code

        section settings, ram, copied
most:   dw   2500                          ; microseconds: a piece that takes longer is too long, and lights the lamp

; ---------------------------------------------------------------- variables

        section vars, ram
since:  ds   2                             ; when a dowel came, as the timer counts
width:  ds   2                             ; how long the last piece took
longest: ds  2
pieces: ds   2
due:    ds   1                             ; a line is to be written
asked:  ds   1                             ; what the joiner has typed, or 0

; ---------------------------------------------------------------- vectors

        vector reset, start
        vector channel0, passes
        vector sci0, typed

; ---------------------------------------------------------------- start-up

        section prog, flash
start:  lds  #0x4000                       ; the top of the RAM
        copied                             ; settings
        clra
        clrb
        std  longest
        std  pieces
        std  width
        std  due                           ; and asked

; ---------------------------------------------------------------- program

main:   bset DDRP, #lamp
        movb #3, TSCR2                     ; a step of the timer is 8 cycles: a microsecond
        movb #3, TCTL4                     ; both edges of pt.0
        movb #0x80, TSCR1                  ; it runs
        movb #barrier, TIE                 ; channel 0 asks
        movw #52, SCI0BD                   ; 8 MHz / 16 / 9600
        movw #52, SCI1BD
        movb #0x2c, SCI0CR2                ; sends, receives, asks when a byte has come
        movb #0x08, SCI1CR2                ; sends
rest:   sei                                ; nothing may come between the look and the sleep
        tst  due
        bne  write
        tst  asked
        bne  answer
        cli                                ; lets interrupts through behind the next instruction
        wai
        bra  rest

; A line for each piece: "piece 12: 1850 us".
write:  clr  due
        cli
        ldy  #log
        ldx  #piece
        bsr  text
        ldd  pieces
        bsr  number
        ldx  #colon
        bsr  text
        ldd  width
        bsr  number
        ldx  #unit
        bsr  text
        bra  rest

; What the joiner wants to know.
answer: ldaa asked
        clr  asked
        cli
        ldy  #joiner
        cmpa #'w'
        beq  .width
        cmpa #'n'
        beq  .pieces
        cmpa #'l'
        beq  .long
        ldx  #help
        bsr  text
        bra  rest
.pieces: ldd  pieces
        bra  .say
.long:  ldd  longest
        bra  .say
.width: ldd  width
.say:   bsr  number
        ldx  #eol
        bsr  text
        bra  rest

; Sends the text at x to the line whose registers begin at y.
text:   ldaa 1,x+
        beq  .done
        bsr  send
        bra  text
.done:  rts

; Sends d as a number to the line at y.
number: ldx  #10
        idiv                               ; x is the rest of the number, d its last digit
        addb #'0'
        pshb
        tfr  x, d
        tbeq x, .last
        bsr  number
.last:  pula                               ; and goes on into send

; Sends the byte a to the line at y.
send:   brclr status,y, #ready, send
        staa byte,y
        rts

; ---------------------------------------------------------------- interrupts

; A dowel comes into the barrier, or leaves it.
passes: movb #barrier, TFLG1               ; taken back by writing 1
        brclr PTT, #barrier, .leaves
        movw TC0, since
        rti
.leaves: ldd TC0
        subd since                         ; right also where the count has gone round
        std  width
        bclr PTP, #lamp
        cpd  most
        bls  .fast
        bset PTP, #lamp
.fast:  emaxm longest,pcr                  ; the larger one of d and what is there stays
        ldx  pieces
        inx
        stx  pieces
        movb #1, due
        rti

; The joiner has typed something.
typed:  ldaa SCI0SR1                       ; first the flag, then the byte
        ldaa SCI0DRL
        staa asked
        rti

; ---------------------------------------------------------------- texts

        section texts, flash
piece:   db   "piece ", 0
colon:  db   ": ", 0
unit:   db   " us"
eol:    db   13, 10, 0
help:   db   "w, n or l?", 13, 10, 0
