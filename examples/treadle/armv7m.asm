; The treadle of the loom on ARMv7-M. As on ARMv6-M, with longer instructions where they save others: a test of one bit, and `it`, which makes
; the next one conditional instead of jumping over it.

contact equ  1 << 0             ; of port 1, low while the treadle is down
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
        ldrb r2, [r1]
        tst  r0, #contact
        it   ne
        movne r2, #steady + 1
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
        pool

wait:   ldr  r0, =18000
.again: subs r0, #1
        bne  .again
        bx   lr
