; main.asm - {name}, for {part}
;
;   p1.0  knock    0 = somebody knocks at the workshop door
;   p0.4  lamp     1 = lit
;
; The lamp over the door follows the knocker, but only once it has been down for a while: short clatter is no knock.

knock   equ  0
lamp    equ  4
steady  equ  200                ; looks that must agree

; ---------------------------------------------------------------- vectors

        vector stack, top
        vector reset, begin

; ---------------------------------------------------------------- variables

        section vars, ram
seen:   ds   4                  ; how often in a row the knocker was down

        section stack, ram, align 8
        ds   256
top:

; ---------------------------------------------------------------- program

        section prog, flash, align 4
begin:  ldr  r4, =P0_DIR        ; the lamp is driven
        movs r0, #1 << lamp
        str  r0, [r4]
        ldr  r4, =P1_PULL       ; the knocker's line is held up
        movs r0, #1 << knock
        str  r0, [r4]
        ldr  r5, =seen
        movs r0, #0
        str  r0, [r5]
        movs r6, #1 << lamp

main:   bl   look
        bcs  lit
        ldr  r4, =P0_CLR
        str  r6, [r4]
        b    main
lit:    ldr  r4, =P0_SET
        str  r6, [r4]
        b    main

; Looks at the knocker once. Out: carry set when it has been down long enough.
look:   ldr  r1, =P1_IN
        ldr  r1, [r1]
        lsrs r1, r1, #knock + 1 ; the pin goes to the carry
        bcc  .down
        movs r0, #0
        str  r0, [r5]
        cmp  r0, #1             ; below: clears the carry
        bx   lr
.down:  ldr  r0, [r5]
        adds r0, #1
        str  r0, [r5]
        cmp  r0, #steady        ; sets the carry from there on
        bx   lr
