; planer.asm - the thickness planer: it watches over the feed.
;
;   p0.0  button   0 = pressed (pulled up): starts the feed
;   p0.1  feed     1 = the feed roller turns
;   p0.2  lamp     1 = lit: a board is stuck, the feed was stopped
;   p0.3  roller   a pulse every 2 mm of wood
;   p0.8  log      a line a second at 115200 bit/s: "fed 128 mm"
;
; The machine timer ticks every millisecond. While the feed runs, 150 ms without a pulse are too many: the board is stuck.

button  equ  1 << 0                        ; bits of port 0
feed    equ  1 << 1
lamp    equ  1 << 2
roller  equ  1 << 3
log     equ  1 << 8
enabled equ 1 << 3                        ; bit of mstatus: interrupts
tick_of equ  72000                         ; cycles of a millisecond
patience equ 150                           ; milliseconds
bit_of  equ  625                           ; 72 MHz / 115200

; ---------------------------------------------------------------- variables

        section vars, ram
fed:    ds   4                             ; pulses since the start
still:  ds   4                             ; milliseconds since the last pulse
left:   ds   4                             ; milliseconds to the next line
stuck:  ds   4                             ; how often a board was
ahead:  ds   4                             ; the next byte to send
line:   ds   24

        section stack, ram, align 16
        ds   512
top:

; ---------------------------------------------------------------- start-up

        vector reset, start

        section prog, flash
start:  la   sp, top
        la   s0, fed                       ; saved registers that handlers rely on: nobody changes them
        la   t0, traps + 1                 ; each interrupt by an entry of its own
        csrw mtvec, t0
        sw   zero, 0(s0)     ; RAM holds anything at first
        sw   zero, still - fed(s0)
        sw   zero, stuck - fed(s0)
        li   t0, 1000
        sw   t0, left - fed(s0)

        li   s1, P0_DIR                    ; port 0, and what lies behind it
        li   t0, feed | lamp | log
        sw   t0, P0_DIR - P0_DIR(s1)
        li   t0, button
        sw   t0, P0_PULL - P0_DIR(s1)
        sw   t0, P0_FALL - P0_DIR(s1)
        li   t0, roller
        sw   t0, P0_RISE - P0_DIR(s1)

        li   t1, UART_DATA
        li   t0, bit_of
        sw   t0, UART_DIV - UART_DATA(t1)
        li   t0, 1 << UART_CTRL_EN
        sw   t0, UART_CTRL - UART_DATA(t1)

        li   t1, MT_TIME                   ; the first tick
        lw   t0, 0(t1)
        li   t2, tick_of
        add  t0, t0, t2
        li   t1, MT_CMP
        sw   t0, 0(t1)
        sw   zero, 4(t1)
        li   t0, 1 << 7 | 1 << 16 | 1 << 20 ; the timer, port 0, the serial port
        csrw mie, t0
        csrsi mstatus, enabled

main:   wfi                                ; all the rest is done by handlers
        j    main

; ---------------------------------------------------------------- handlers

        align 4                            ; entry n is interrupt n
        compress off                       ; and four bytes long
traps:  j    fault                         ; an exception: nothing here causes one
        ds   6 * 4
        j    tick                          ; 7: the machine timer
        ds   8 * 4
        j    moved                         ; 16: port 0
        ds   3 * 4
        j    sent                          ; 20: the serial port
        compress on

fault:  j    fault

; A millisecond is over.
tick:   addi sp, sp, -32
        sw   ra, 28(sp)
        sw   t0, 24(sp)
        sw   t1, 20(sp)
        sw   t2, 16(sp)
        li   t1, MT_CMP                    ; 2^32 cycles are a minute: the upper word matters
        lw   t0, 0(t1)
        li   t2, tick_of
        add  t2, t2, t0
        sltu t0, t2, t0                    ; carried over?
        beqz t0, .low
        li   t0, -1                        ; out of reach, while the words do not belong together
        sw   t0, 0(t1)
        lw   t0, 4(t1)
        addi t0, t0, 1
        sw   t0, 4(t1)
.low:   sw   t2, 0(t1)

        lw   t0, P0_OUT - P0_DIR(s1)
        andi t0, t0, feed
        beqz t0, .clock
        lw   t0, still - fed(s0)
        addi t0, t0, 1
        sw   t0, still - fed(s0)
        li   t1, patience
        blt  t0, t1, .clock
        li   t0, feed                      ; stuck
        sw   t0, P0_CLR - P0_DIR(s1)
        li   t0, lamp
        sw   t0, P0_SET - P0_DIR(s1)
        lw   t0, stuck - fed(s0)
        addi t0, t0, 1
        sw   t0, stuck - fed(s0)

.clock: lw   t0, left - fed(s0)
        addi t0, t0, -1
        bnez t0, .back
        call report
        li   t0, 1000
.back:  sw   t0, left - fed(s0)
        lw   t2, 16(sp)
        lw   t1, 20(sp)
        lw   t0, 24(sp)
        lw   ra, 28(sp)
        addi sp, sp, 32
        mret

; An edge at port 0: the button or the roller.
moved:  addi sp, sp, -16
        sw   t0, 12(sp)
        sw   t1, 8(sp)
        lw   t0, P0_PEND - P0_DIR(s1)
        sw   t0, P0_PEND - P0_DIR(s1)      ; taken back
        andi t1, t0, roller
        beqz t1, .button
        sw   zero, still - fed(s0)
        lw   t1, 0(s0)
        addi t1, t1, 1
        sw   t1, 0(s0)
.button: andi t0, t0, button
        beqz t0, .back
        sw   zero, still - fed(s0)
        sw   zero, 0(s0)
        li   t0, lamp
        sw   t0, P0_CLR - P0_DIR(s1)
        li   t0, feed
        sw   t0, P0_SET - P0_DIR(s1)
.back:  lw   t1, 8(sp)
        lw   t0, 12(sp)
        addi sp, sp, 16
        mret

; There is room for a byte.
sent:   addi sp, sp, -16
        sw   t0, 12(sp)
        sw   t1, 8(sp)
        sw   t2, 4(sp)
        lw   t0, ahead - fed(s0)
        li   t2, UART_DATA
        lbu  t1, 0(t0)
        beqz t1, .end
        sw   t1, 0(t2)
        addi t0, t0, 1
        sw   t0, ahead - fed(s0)
        j    .back
.end:   li   t1, 1 << UART_CTRL_EN
        sw   t1, UART_CTRL - UART_DATA(t2)
.back:  lw   t2, 4(sp)
        lw   t1, 8(sp)
        lw   t0, 12(sp)
        addi sp, sp, 16
        mret

; ---------------------------------------------------------------- the line

; Writes what was fed and lets it be sent. Changes t1, t2.
report: addi sp, sp, -32
        sw   ra, 28(sp)
        sw   a0, 24(sp)
        sw   a1, 20(sp)
        la   a1, line
        li   t2, words
        call .copy
        lw   a0, 0(s0)
        slli a0, a0, 1                     ; millimetres
        call decimal
        li   t2, unit
        call .copy
        sb   zero, 0(a1)
        la   t1, line
        sw   t1, ahead - fed(s0)
        li   t1, 1 << UART_CTRL_EN | 1 << UART_CTRL_TXIE
        li   t2, UART_CTRL
        sw   t1, 0(t2)
        lw   a1, 20(sp)
        lw   a0, 24(sp)
        lw   ra, 28(sp)
        addi sp, sp, 32
        ret
.copy:  lbu  t1, 0(t2)
        beqz t1, .done
        sb   t1, 0(a1)
        addi t2, t2, 1
        addi a1, a1, 1
        j    .copy
.done:  ret

; The digits of a0 at a1, which moves on. Changes t1, t2, a0.
decimal: addi sp, sp, -16
        sw   ra, 12(sp)
        li   t1, 10
        remu t2, a0, t1
        divu a0, a0, t1
        sw   t2, 8(sp)
        beqz a0, .last
        call decimal                       ; the ones before it
.last:  lw   t2, 8(sp)
        addi t2, t2, '0'
        sb   t2, 0(a1)
        addi a1, a1, 1
        lw   ra, 12(sp)
        addi sp, sp, 16
        ret

words:  db   "fed ", 0
unit:   db   " mm", 10, 0
