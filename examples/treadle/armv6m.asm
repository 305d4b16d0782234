; The treadle of the loom on ARMv6-M. Every instruction but a call has two bytes; addresses stand in a pool behind the routine, and stores leave
; the flags alone.

contact equ  0                  ; of port 1, low while the treadle is down
steady  equ  5                  ; looks in a row, a millisecond apart

        vector stack, top
        vector reset, begin

        section vars, ram
left:   ds   1                  ; looks that are still to be alike
rows:   ds   1
        section stack, ram, align 8
        ds   64
top:

        section prog, flash, align 4
begin:  ldr  r0, =left
        movs r1, #0
        strb r1, [r0]
        strb r1, [r0, #1]
        ldr  r0, =P0_DIR
        movs r1, #0xff
        str  r1, [r0]
main:   bl   look
looked: bl   wait
        b    main

look:   ldr  r0, =P1_IN
        ldr  r1, =left
        ldr  r0, [r0]
        lsrs r0, r0, #contact + 1 ; the pin goes to the carry
        bcs  .open
        ldrb r2, [r1]
        subs r2, #1
        bmi  .back              ; this press has counted
        strb r2, [r1]
        bne  .back
        ldrb r2, [r1, #1]
        ldr  r0, =P0_OUT
        adds r2, #1
        strb r2, [r1, #1]
        str  r2, [r0]
.back:  bx   lr
.open:  movs r2, #steady
        strb r2, [r1]
        bx   lr
        pool

wait:   ldr  r0, =12000
.again: subs r0, #1
        bne  .again
        bx   lr
