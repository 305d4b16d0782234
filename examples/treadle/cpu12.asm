; The treadle of the loom on the CPU12. A jump tests bits of a port in one instruction; memory counts down and moves to memory, all
; without the accumulator.

contact equ  1                  ; of port T, low while the treadle is down
steady  equ  5                  ; looks in a row, a millisecond apart

        section vars, ram
left:   ds   1                  ; looks that are still to be alike
rows:   ds   1

        vector reset, start

        section prog, flash
start:  lds  #0x4000
        movb #0, COPCTL
        clr  left
        clr  rows
        clr  PTP
        movb #0xff, DDRP
main:   bsr  look
looked: bsr  wait
        bra  main

look:   brset PTIT, #contact, .open
        tst  left
        beq  .back              ; this press has counted
        dec  left
        bne  .back
        inc  rows
        movb rows, PTP
.back:  rts
.open:  movb #steady, left
        rts

wait:   ldx  #2659
.again: dbne x, .again
        rts
