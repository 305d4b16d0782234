; log.asm - keeps four bytes for every pulse in a ring of the external RAM

        section record, xram, at 0x4000
log:    ds   64*4               ; mean high, mean low, lamps lit, trips
log_end:
        assert low(log) == 0 && log_end - log == 256, "the ring is found by its high byte"

        section vars
log_next: ds 2                  ; next place in the log, low byte first

        section prog
begin_log:
        mov  log_next, #low(log)
        mov  log_next+1, #high(log)
        ret

; The log: four bytes for every pulse, in a ring.
keep:   mov  dpl, log_next
        mov  dph, log_next+1
        mov  a, mean
        movx @dptr, a
        inc  dptr
        mov  a, mean+1
        movx @dptr, a
        inc  dptr
        mov  a, lit
        movx @dptr, a
        inc  dptr
        mov  a, trips
        movx @dptr, a
        inc  dptr
        mov  a, dph
        cjne a, #high(log_end), kept
        mov  dptr, #log         ; 256 bytes are full: the high byte has changed
kept:   mov  log_next, dpl
        mov  log_next+1, dph
        ret
