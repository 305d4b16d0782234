; main.asm - {name}, for {part}
;
;   p1.0  knock    0 = somebody knocks at the workshop door
;   p0.4  lamp     1 = lit
;
; The lamp over the door follows the knocker, but only once it has been down for a while: short clatter is no knock.

knock   equ  1 << 0             ; bits of their ports
lamp    equ  1 << 4
steady  equ  200                ; looks that must agree

        export start            ; a loader begins here,
        vector reset, start     ; and so does a reset

; ---------------------------------------------------------------- variables

        section vars, ram, align 4
seen:   ds   4                  ; how often in a row the knocker was down

        section stack, ram, align 8
        ds   256
top:

; ---------------------------------------------------------------- program

        org  0x100
start:  ldr  sp, =top           ; nothing does it otherwise
        ldr  r4, =seen          ; RAM holds anything at first
        mov  r0, #0
        str  r0, [r4]
        ldr  r5, =P0_DIR        ; the lamp is driven
        mov  r6, #lamp
        str  r6, [r5]
        ldr  r0, =P1_PULL       ; the knocker's line is held up
        mov  r1, #knock
        str  r1, [r0]
again:  bl   look
        streq r6, [r5, #P0_CLR - P0_DIR]
        beq  again
        str  r6, [r5, #P0_SET - P0_DIR]
lit:    b    again              ; passed while the lamp is lit

; Looks at the knocker once. Out: r0 is 1 when it has been down long enough, else 0, and z is set. Changes r1.
look:   ldr  r0, =P1_IN
        ldr  r0, [r0]
        tst  r0, #knock
        movne r1, #0            ; up: it begins anew
        ldreq r1, [r4]
        addeq r1, r1, #1
        cmp  r1, #steady
        strls r1, [r4]
        movlo r0, #0
        movhs r0, #1
        cmp  r0, #0
        bx   lr
