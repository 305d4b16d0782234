; The treadle of the loom on RV32. Addresses are loaded into registers first; there are no flags, so a jump compares by itself. Compressed
; instructions of two bytes are chosen where there are such.

contact equ  1 << 0             ; of port 1, low while the treadle is down
steady  equ  5                  ; looks in a row, a millisecond apart

        section vars, ram
left:   ds   1                  ; looks that are still to be alike
rows:   ds   1

        vector reset, start

        section prog, flash
start:  la   t1, left
        sb   zero, 0(t1)
        sb   zero, 1(t1)
        li   t0, P0_DIR
        li   t1, 0xff
        sw   t1, 0(t0)
main:   call look
looked: call wait
        j    main

look:   la   a1, left
        li   a0, P1_IN
        lw   a0, 0(a0)
        andi a0, a0, contact
        bnez a0, .open
        lbu  a2, 0(a1)
        beqz a2, .back          ; this press has counted
        addi a2, a2, -1
        sb   a2, 0(a1)
        bnez a2, .back
        lbu  a2, 1(a1)
        addi a2, a2, 1
        sb   a2, 1(a1)
        li   a0, P0_OUT
        sw   a2, 0(a0)
.back:  ret
.open:  li   a2, steady
        sb   a2, 0(a1)
        ret

wait:   li   a0, 18000
.again: addi a0, a0, -1
        bnez a0, .again
        ret
