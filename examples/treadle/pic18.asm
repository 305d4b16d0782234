; The treadle of the loom on the 8-bit core of 16-bit instructions. Two skips in a row say "unless it is 0, count it down, and go on when
; that made it 0"; `movff` moves a cell to a port without the accumulator.

contact equ  0                  ; of port B, low while the treadle is down
steady  equ  5                  ; looks in a row, a millisecond apart

        config CONFIG1H: FOSC=xt
        config CONFIG2L: BOREN=on, PWRTEN=on
        config CONFIG2H: WDTEN=off
        config CONFIG4L: STVREN=on, LVP=off

        section vars, data
left:   ds   1                  ; looks that are still to be alike
rows:   ds   1
timer:  ds   1

        vector reset, begin

        section prog, code
begin:  clrf LATD
        clrf left
        clrf rows
        clrf TRISD
main:   rcall look
looked: rcall wait
        bra  main

look:   btfsc PORTB, contact
        bra  .open
        tstfsz left
        decfsz left, f
        return                  ; this press has counted, or has not yet
        incf rows, f
        movff rows, LATD
        return
.open:  movlw steady
        movwf left
        return

wait:   movlw 248
        movwf timer
.again: nop
        decfsz timer, f
        bra  .again
        return
