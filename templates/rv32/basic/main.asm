; main.asm - {name}, for {part}
;
;   p1.0  knock    0 = somebody knocks at the workshop door
;   p0.4  lamp     1 = lit
;
; The lamp over the door follows the knocker, but only once it has been down for a while: short clatter is no knock.

knock   equ  1 << 0             ; bits of their ports
lamp    equ  1 << 4

; ---------------------------------------------------------------- variables

        section settings, ram, copied
steady: dd   200                ; looks that must agree

        section vars, ram
seen:   ds   4                  ; how often in a row the knocker was down

        section stack, ram, align 16
        ds   256
top:

; ---------------------------------------------------------------- start-up

        vector reset, start

        section prog, flash
start:  la   sp, top            ; nothing does it otherwise
        la   t0, trap           ; exceptions come here, and interrupts that are let through
        csrw mtvec, t0
        copied                  ; settings come out of the flash
        la   t0, seen           ; RAM holds anything at first
        sw   zero, 0(t0)

; ---------------------------------------------------------------- program

main:   li   s0, P0_DIR         ; the lamp is driven
        li   s1, lamp
        sw   s1, 0(s0)
        li   t0, P1_PULL        ; the knocker's line is held up
        li   t1, knock
        sw   t1, 0(t0)
again:  call look
        beqz a0, dark
        sw   s1, P0_SET - P0_DIR(s0)
lit:    j    again              ; passed while the lamp is lit
dark:   sw   s1, P0_CLR - P0_DIR(s0)
        j    again

; Looks at the knocker once. Out: a0 is 1 when it has been down long enough, else 0. Changes t0 to t2.
look:   li   t0, P1_IN
        lw   t0, 0(t0)
        andi t0, t0, knock
        la   t1, seen
        beqz t0, .down
        sw   zero, 0(t1)
        li   a0, 0
        ret
.down:  lw   t2, 0(t1)
        la   t0, steady
        lw   t0, 0(t0)
        sltu a0, t2, t0         ; 1: not yet
        add  t2, t2, a0
        sw   t2, 0(t1)
        xori a0, a0, 1
        ret

; ---------------------------------------------------------------- traps

        align 4
trap:   j    trap               ; nothing here causes one; mcause says why, mepc where
