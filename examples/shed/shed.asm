; shed.asm - the timber shed: who was there, and for how long the door stood open. It lives on a battery, so it sleeps.
;
;   p2.0  door     0 = closed (pulled up)
;   p1.0  lamp     1 = lit: the door has been open for too long, the timber gets wet
;   p3.4  log      a line every ten seconds at 9600 bit/s: "visits 3 open 12"
;
; A crystal of 32,768 Hz wakes it once a second, the door whenever it moves. Between, all but the slow clock stands still.

ready   equ  CPUOFF | SCG1 | SCG0          ; what is off while it sleeps
door    equ  1                             ; bits of their ports
lamp    equ  1
send    equ  0x10
bit_of  equ  437                           ; 4,194,304 Hz / 9600

; ---------------------------------------------------------------- settings, filled in by start-up code

        section settings, ram, copied
patience: dw 5                             ; seconds an open door may stand
every:  dw   10                            ; seconds between two lines

; ---------------------------------------------------------------- variables

        section vars, ram
visits: ds   2                             ; how often the door was opened
open:   ds   2                             ; seconds it has stood open, 0 while it is closed
total:  ds   2                             ; seconds in all
left:   ds   2                             ; seconds to the next line
ahead:  ds   2                             ; the next byte to send
due:    ds   1                             ; 1: a line is to be written
line:   ds   30

; ---------------------------------------------------------------- vectors

        vector reset, start
        vector timer0, second
        vector port2, moved
        vector send, next

; ---------------------------------------------------------------- start-up

        section prog, flash
start:  mov  #0x4000, sp                   ; the top of the RAM
        mov  #WDTPW | WDTHOLD, &WDTCTL     ; nobody would feed it
        copied                             ; settings
        clr  &visits
        clr  &open
        clr  &total
        clr.b &due
        br   #main

; ---------------------------------------------------------------- program

main:   mov  &every, &left
        bis.b #lamp, &P1DIR
        bis.b #door, &P2OUT                ; pulled up
        bis.b #door, &P2REN
        bic.b #door, &P2IES                ; opening is a rising edge
        clr.b &P2IFG
        bis.b #door, &P2IE
        bis.b #send, &P3SEL                ; the pin is the serial port's
        mov.b #low(bit_of), &UCA0BR0
        mov.b #high(bit_of), &UCA0BR1
        bic.b #UCSWRST, &UCA0CTL1
        mov  #32767, &TACCR0               ; 32,768 steps: a second
        mov  #CCIE, &TACCTL0
        mov  #ACLK | MC_1 | TACLR, &TACTL
rest:   bis  #ready | GIE, sr              ; asleep until somebody has something to write
        tst.b &due
        jz   rest
        clr.b &due
        call #compose
        mov  #line, &ahead
        bis.b #UCA0TXIE, &IE2
        jmp  rest

; Writes the line. Changes r12 to r15.
compose: mov #line, r13
        mov  #words, r15
        mov  &visits, r12
        call #part
        mov  &total, r12
        call #part
        mov.b #10, 0(r13)
        clr.b 1(r13)
        ret

; A word and a number. In: r15 the word, up to a 0, r12 the number, r13 where it goes; both move on. Changes r14.
part:   mov.b @r15+, r14
        tst.b r14
        jz   decimal
        mov.b r14, 0(r13)
        inc  r13
        jmp  part

; The digits of r12 at r13, which moves on. Changes r11, r14, r12.
decimal: mov #powers, r14
        clr  r11                           ; nothing is written yet
.digit: mov.b #'0', 0(r13)
.less:  cmp  @r14, r12
        jlo  .done
        sub  @r14, r12
        inc.b 0(r13)
        mov  #1, r11
        jmp  .less
.done:  cmp  #1, 0(r14)
        jeq  .last
        incd r14
        tst  r11
        jz   .digit
        inc  r13
        jmp  .digit
.last:  inc  r13
        ret

words:  db   "visits ", 0, " open ", 0
        align 2
powers: dw   10000, 1000, 100, 10, 1

; ---------------------------------------------------------------- interrupts

; A second is over.
second: tst  &open
        jz   .closed
        inc  &open
        inc  &total
        cmp  &open, &patience              ; open counts from 1
        jge  .closed
        bis.b #lamp, &P1OUT
.closed: dec &left
        jnz  .back
        mov  &every, &left
        mov.b #1, &due
        bic  #ready, 0(sp)                 ; the main program goes on
.back:  reti

; The door has moved: next time the other edge counts.
moved:  xor.b #door, &P2IES
        bic.b #door, &P2IFG
        bit.b #door, &P2IN
        jz   .shut
        inc  &visits
        mov  #1, &open
        reti
.shut:  clr  &open
        bic.b #lamp, &P1OUT
        reti

; There is room for a byte.
next:   push r4
        mov  &ahead, r4
        tst.b 0(r4)
        jz   .end
        mov.b @r4+, &UCA0TXBUF
        mov  r4, &ahead
        pop  r4
        reti
.end:   bic.b #UCA0TXIE, &IE2
        pop  r4
        reti
