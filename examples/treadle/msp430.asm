; The treadle of the loom on the MSP430. Instructions work on memory as they do on registers, so no value passes through one.

contact equ  1                  ; of port 2, low while the treadle is down
steady  equ  5                  ; looks in a row, a millisecond apart

        section vars, ram
left:   ds   1                  ; looks that are still to be alike
rows:   ds   1

        vector reset, start

        section prog, flash
start:  mov  #0x4000, sp
        mov  #WDTPW | WDTHOLD, &WDTCTL
        clr.b &left
        clr.b &rows
        clr.b &P1OUT
        mov.b #0xff, &P1DIR
main:   call #look
looked: call #wait
        jmp  main

look:   bit.b #contact, &P2IN
        jnz  .open
        tst.b &left
        jz   .back              ; this press has counted
        dec.b &left
        jnz  .back
        inc.b &rows
        mov.b &rows, &P1OUT
.back:  ret
.open:  mov.b #steady, &left
        ret

wait:   mov  #1394, r15
.again: dec  r15
        jnz  .again
        ret
