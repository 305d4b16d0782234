; loom.asm — watches a hand loom: counts the picks (throws of the shuttle), and stops the take-up motor when a thread of
; the warp breaks. For an armv6m-32k.
;
;   p0.0  take-up motor: 1 runs it         p1.0  shuttle eye: a falling edge a pick
;   p0.1  lamp: 1 after a broken thread    p1.1  drop wires: low when a broken thread lets one fall
;
; Every thread of the warp holds up a drop wire. When one falls, it touches the bar below: the line goes low, the
; interrupt stops the motor within `promised` cycles, and the pick at which it happened is kept.

motor           equ  0
lamp            equ  1
shuttle         equ  0
wires           equ  1
promised        equ  48                 ; cycles from the falling wire to the motor
per_span        equ  8                  ; picks of a hand's breadth of cloth

        vector stack, stack_top
        vector reset, start
        vector p1, edge

        org  0xc0
start:  ldr  r5, =picks                 ; RAM holds anything at first
        movs r0, #0
        str  r0, [r5]
        str  r0, [r5, #spans - picks]
        str  r0, [r5, #broken_at - picks]
        ldr  r4, =P0_DIR
        movs r0, #(1 << motor) | (1 << lamp)
        str  r0, [r4]
        ldr  r4, =P1_FALL               ; falling edges of both lines
        movs r0, #(1 << shuttle) | (1 << wires)
        str  r0, [r4]
        ldr  r4, =P1_PULL
        str  r0, [r4]
        ldr  r4, =NVIC_ISER
        movs r0, #1 << 1                ; port 1
        str  r0, [r4]
        ldr  r4, =P0_SET
        movs r0, #1 << motor
        str  r0, [r4]

; Sleeps between the picks, and adds up the spans of cloth.
weave:  wfi
        ldr  r5, =picks
        ldr  r0, [r5]
        bl   spans_of
        str  r0, [r5, #spans - picks]
        ldr  r1, [r5, #broken_at - picks]
        cmp  r1, #0
        beq  weave
mended_by_hand:
        b    .

; Spans in r0 picks: a division by subtraction, since the core has none. Whole spans only.
spans_of:
        movs r1, #0
.more:  subs r0, #per_span
        blo  .done
        adds r1, #1
        b    .more
.done:  mov  r0, r1
        bx   lr

; An edge on port 1: the wires first, for they matter.
edge:   ldr  r0, =P1_PEND
        ldr  r1, [r0]
        lsrs r2, r1, #wires + 1         ; the wires' bit goes to the carry
        bcc  pick
        ldr  r2, =P0_CLR
        movs r3, #1 << motor
        str  r3, [r2]
motor_is_off:
        ldr  r2, =P0_SET
        movs r3, #1 << lamp
        str  r3, [r2]
        ldr  r2, =picks
        ldr  r3, [r2]
        adds r3, #1                     ; the pick that is under way
        str  r3, [r2, #broken_at - picks]
pick:   lsrs r2, r1, #shuttle + 1
        bcc  seen
        ldr  r2, =picks
        ldr  r3, [r2]
        adds r3, #1
        str  r3, [r2]
seen:   str  r1, [r0]                   ; what was pending has been looked at
        bx   lr

        section variables, ram
picks:          ds 4
spans:          ds 4
broken_at:      ds 4                    ; the pick at which a thread broke, 0 while all hold

        section stack, ram, align 8
        ds   128
stack_top:
