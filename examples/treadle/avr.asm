; The treadle of the loom on the register core. A port is tested by a skip, but arithmetic is done in registers only: cells are loaded and
; stored around it, which leaves the flags alone.

CONTACT equ  PB0                ; low while the treadle is down
STEADY  equ  5                  ; looks in a row, a millisecond apart

        section vars, data
left:   ds   1                  ; looks that are still to be alike
rows:   ds   1

        vector reset, begin

        section prog, code
begin:  ldi  r16, high(0x8ff)
        out  SPH, r16
        ldi  r16, low(0x8ff)
        out  SPL, r16
        ldi  r16, 0xff
        out  DDRD, r16
        clr  r16
        sts  left, r16
        sts  rows, r16
        out  PORTD, r16
main:   rcall look
looked: rcall wait
        rjmp main

look:   sbic PINB, CONTACT
        rjmp .open
        lds  r16, left
        subi r16, 1
        brcs .back              ; this press has counted
        sts  left, r16
        brne .back
        lds  r16, rows
        inc  r16
        sts  rows, r16
        out  PORTD, r16
.back:  ret
.open:  ldi  r16, STEADY
        sts  left, r16
        ret

wait:   ldi  r24, low(3993)
        ldi  r25, high(3993)
.again: sbiw r24, 1
        brne .again
        ret
