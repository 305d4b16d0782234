; The treadle of the loom on the classic 32-bit Arm. Each instruction may have a condition, so there is no jump in it but the returns.

contact equ  1 << 0             ; of port 1, low while the treadle is down
steady  equ  5                  ; looks in a row, a millisecond apart

        vector reset, start

        section vars, ram, align 4
left:   ds   1                  ; looks that are still to be alike
rows:   ds   1
        section stack, ram, align 8
        ds   64
top:

        org  0x100
start:  ldr  sp, =top
        ldr  r0, =left
        mov  r1, #0
        strb r1, [r0]
        strb r1, [r0, #1]
        ldr  r0, =P0_DIR
        mov  r1, #0xff
        str  r1, [r0]
main:   bl   look
looked: bl   wait
        b    main

look:   ldr  r0, =P1_IN
        ldr  r1, =left
        ldr  r0, [r0]
        ldrb r2, [r1]
        tst  r0, #contact
        movne r2, #steady + 1
        subs r2, r2, #1
        bxmi lr                 ; this press has counted
        strb r2, [r1]
        bxne lr
        ldrb r2, [r1, #1]
        ldr  r0, =P0_OUT
        add  r2, r2, #1
        strb r2, [r1, #1]
        str  r2, [r0]
        bx   lr
        pool

wait:   ldr  r0, =18000
.again: subs r0, r0, #1
        bne  .again
        bx   lr
