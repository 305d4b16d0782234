; tags.asm - the label printer of the workshop: tool tags as people type them become tags as the printer wants them.
;
;   p0.8  printer  a tag at 115200 bit/s when the button is pressed
;   p0.0  button   0 = pressed (pulled up)
;   p0.2  lamp     1 = lit: the printer is busy
;
; A tag lies in RAM and is converted there, in place: capital letters, a run of blanks becomes one dash, what no printer has becomes a point.

button  equ  1 << 0                         ; bits of port 0
lamp    equ  1 << 2
printer equ  1 << 8
bit_of  equ  625                            ; 72 MHz / 115200
open    equ  1 << 0                         ; bits of UART_CTRL: the port is on,
asks    equ  1 << 1                         ; room for a byte asks for the interrupt

        export start                        ; a loader begins here

; ---------------------------------------------------------------- vectors

        vector undefined, lost
        vector prefetch_abort, lost
        vector data_abort, lost
        vector irq, on_irq

; ---------------------------------------------------------------- variables

        section vars, ram, align 4
tags:   db   "Oak  spindle 25mm", 0
        db   "tail-vice (left)", 0
        db   "glue:  bone", 9, "#2", 0
no_more: db  0
        align 4
printed: dd  0                              ; tags so far

        section stack, ram, align 16
        ds   256
irq_top:
        ds   512
top:

; ---------------------------------------------------------------- start-up

        section prog, ram, align 4
start:  cpsid i, #0x12                      ; a stack for interrupts,
        ldr  sp, =irq_top
        cpsid i, #0x13                      ; and one for the rest
        ldr  sp, =top
        mov  r4, #0                         ; RAM holds what was loaded: counted anew
        ldr  r5, =printed
        str  r4, [r5]
        ldr  r0, =tags
convert: bl  tidy                           ; until a tag is empty
        ldrb r1, [r0]
        cmp  r1, #0
        bne  convert
ready:  ldr  r6, =P0_DIR
        mov  r0, #lamp
        orr  r0, r0, #printer
        str  r0, [r6, #P0_DIR - P0_DIR]
        mov  r0, #button
        str  r0, [r6, #P0_PULL - P0_DIR]
        str  r0, [r6, #P0_FALL - P0_DIR]
        ldr  r7, =UART_DATA
        ldr  r0, =bit_of
        str  r0, [r7, #UART_DIV - UART_DATA]
        mov  r0, #open
        str  r0, [r7, #UART_CTRL - UART_DATA]
        ldr  r0, =IC_ENABLE
        mov  r1, #1 << 0 | 1 << 4           ; the button, the printer
        str  r1, [r0]
        ldr  r8, =tags                      ; the tag to come
        cpsie i
idle:   wfi
        b    idle

; ---------------------------------------------------------------- conversion

; Converts a tag in place. In: r0 points to it. Out: r0 points behind its end. Changes r1 to r3, r12.
tidy:   push {lr}
        mov  r1, r0                         ; what comes of it goes here
.letter: ldrb r2, [r0], #1
        cmp  r2, #' '
        cmpne r2, #9
        beq  .blank
        sub  r3, r2, #'a'
        cmp  r3, #25
        subls r2, r2, #'a' - 'A'            ; a small letter
        bl   known
        strb r2, [r1], #1
        cmp  r2, #0
        bne  .letter
.rest:  cmp  r1, r0                         ; what it became shorter is cleared
        strblo r2, [r1], #1
        blo  .rest
        pop  {pc}
.blank: ldrb r2, [r0], #1                   ; the blanks that follow
        cmp  r2, #' '
        cmpne r2, #9
        beq  .blank
        sub  r0, r0, #1
        mov  r3, #'-'
        strb r3, [r1], #1
        b    .letter

; Is it a letter, a digit, a dash, or the end? In and out: r2, a point for others. Changes r3.
known:  sub  r3, r2, #'A'
        cmp  r3, #26
        subhs r3, r2, #'0'
        cmphs r3, #10
        bxlo lr
        cmp  r2, #'-'
        cmpne r2, #0
        movne r2, #'.'
        bx   lr

; ---------------------------------------------------------------- interrupts

on_irq: sub  lr, lr, #4                     ; lr is one instruction ahead
        push {r0-r3, lr}
        ldr  r0, =IC_NUMBER                 ; which of them
        ldr  r0, [r0]
        cmp  r0, #4
        beq  room
        mov  r1, #button                    ; the button: taken back
        str  r1, [r6, #P0_PEND - P0_DIR]
        ldrb r1, [r8]
        cmp  r1, #0                         ; is there another tag?
        movne r0, #lamp
        strne r0, [r6, #P0_SET - P0_DIR]
        movne r0, #open | asks
        strne r0, [r7, #UART_CTRL - UART_DATA]
        b    back
room:   ldrb r1, [r8], #1                   ; r8 belongs to the handlers
        cmp  r1, #0
        strne r1, [r7]
        bne  back
        mov  r0, #open                      ; the tag is over
        str  r0, [r7, #UART_CTRL - UART_DATA]
        mov  r0, #lamp
        str  r0, [r6, #P0_CLR - P0_DIR]
        ldr  r0, =printed
        ldr  r1, [r0]
        add  r1, r1, #1
        str  r1, [r0]
        ldr  r0, =no_more
.skip:  cmp  r8, r0                         ; what was cleared behind it
        bhs  back
        ldrb r1, [r8]
        cmp  r1, #0
        addeq r8, r8, #1
        beq  .skip
back:   ldm  sp!, {r0-r3, pc}^              ; and cpsr as it was

lost:   b    lost                           ; lr says behind what
