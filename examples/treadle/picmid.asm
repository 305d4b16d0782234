; The treadle of the loom on the mid-range core. There is one accumulator, and instructions that skip the next one instead of jumps
; with a condition.

contact equ  0                  ; of port B, low while the treadle is down
steady  equ  5                  ; looks in a row, a millisecond apart

        config CONFIG: WDTE=off, FOSC=xt, LVP=off

        section vars, file
left:   ds   1                  ; looks that are still to be alike
rows:   ds   1
timer:  ds   1

        vector reset, begin

        section prog, code
begin:  bank PORTC
        clrf PORTC
        clrf left
        clrf rows
        bank TRISC
        clrf TRISC
        bank PORTC
main:   call look
looked: call wait
        goto main

look:   btfsc PORTB, contact
        goto .open
        movf left, f
        btfsc STATUS, 2         ; zero: this press has counted
        return
        decfsz left, f
        return
        incf rows, f
        movf rows, w
        movwf PORTC
        return
.open:  movlw steady
        movwf left
        return

wait:   movlw 248
        movwf timer
.again: nop
        decfsz timer, f
        goto .again
        return
