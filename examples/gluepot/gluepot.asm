; Two glue pots: one heats up while it is stirred, the other one is kept warm. The registers are those of gluepot.svd.
        vector  stack, 0x20001000
        vector  reset, start
        vector  LID, opened             ; an interrupt that the description names

        org     0x200
start:  ldr     r0, =POT_HEAT
        movs    r1, #2 + (1 << POT_HEAT_STIR)
        str     r1, [r0]
        ldr     r2, =POT_LEVEL_GOOD
        movs    r1, #70                 ; degrees: hide glue burns above 75
        strh    r1, [r2]
        ldr     r0, =SPARE_HEAT
        movs    r1, #1
        str     r1, [r0]
        ldr     r0, =NVIC_ISER
        ldr     r1, =1 << 20            ; the line of the lid
        str     r1, [r0]
rest:   wfi
        b       rest

opened: movs    r1, #0                  ; nothing is heated while somebody looks in
        ldr     r0, =POT_HEAT
        str     r1, [r0]
        ldr     r0, =SPARE_HEAT
        str     r1, [r0]
        bx      lr
