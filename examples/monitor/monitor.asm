; monitor.asm - a resident monitor: what is needed at a board without a debugger, on a z80-64k, over the serial port at 9600 bits a second
;
;   show 4000          64 bytes of memory from there; `show` alone goes on behind them
;   put 4000 3e 2a     bytes into memory
;   go 4000            a program begins there; `ret` comes back
;   hold 4005          stops it there, once, before the instruction; `hold` alone forgets it
;   regs               its registers, as they were when it was held
;   on                 it goes on
;   :10400000...       a record of an Intel HEX file, as a terminal sends it; a point says that it is there
;
; A word counts by its first letter. Numbers are hexadecimal. A hold puts `rst 0x30` in the place of an instruction, and the instruction back when it
; gets there. The monitor lives below 0x0800 and has its memory from 0xfe00 on; everything between belongs to programs.

clock   equ  4000000
baud    equ  9600
stop    equ  0xf7               ; the code of `rst 0x30`
cr      equ  13
lf      equ  10
back    equ  8
delete  equ  127

        section early, ram, at 0xfe00
queue:  ds   256                ; what came while something was sent: an index of 8 bits goes round in it

        section vars, ram, at 0xff00
line:   ds   80                 ; what is typed, or the bytes of a record
line_end:
next:   ds   2                  ; what `show` shows next
held:   ds   2                  ; where the hold is; 0: there is none
under:  ds   1                  ; the instruction that was there
is_held: ds  1                  ; a program is
came:   ds   1                  ; where the next one goes in the queue,
taken:  ds   1                  ; and comes from
; the registers of a program, in the order in which they are pushed
regs:   ds   2                  ; sp
        ds   2                  ; iy
        ds   2                  ; ix
        ds   2                  ; hl
        ds   2                  ; de
        ds   2                  ; bc
        ds   2                  ; af
        ds   2                  ; pc
        ds   64
top:

        vector reset, start

; ---------------------------------------------------------------- a hold is reached

        section hold_code, mem, at 0x30
        jp   caught

        section prog, mem, at 0x100
caught: ld   (regs + 8), de     ; as it is; the stack of the program stays as it was
        ld   (regs + 6), hl
        ld   (regs + 10), bc
        ld   (regs + 4), ix
        ld   (regs + 2), iy
        pop  hl                 ; behind the `rst`
        dec  hl
        ld   (regs + 14), hl
        ld   (regs), sp
        push af
        pop  hl
        ld   (regs + 12), hl
        ld   sp, top
        ld   hl, (held)
        ld   de, (regs + 14)
        or   a
        sbc  hl, de
        jr   nz, .other         ; a `rst 0x30` of the program itself
        ld   a, (under)
        ld   (de), a
        ld   hl, 0
        ld   (held), hl
.other: ld   a, 1
        ld   (is_held), a
        ld   hl, held_at
        call print
        call show_regs
        jp   ready

; ---------------------------------------------------------------- lines

start:  ld   sp, top
        ld   a, low(clock / baud + 1)
        out  (UART_DIVL), a
        ld   a, high(clock / baud + 1)
        out  (UART_DIVH), a
        ld   a, 0x80
        out  (UART_CTRL), a
        ld   hl, 0
        ld   (held), hl
        ld   (next), hl
        xor  a
        ld   (is_held), a
        ld   (came), a
        ld   (taken), a
        ld   hl, hello
        call print

ready:  ld   sp, top
        ld   hl, prompt
        call print
        ld   hl, line
.key:   call key
        cp   ':'
        jr   nz, .word
        ld   de, line           ; at the beginning only
        push hl
        or   a
        sbc  hl, de
        pop  hl
        jp   z, record
        ld   a, ':'
.word:  cp   cr
        jr   z, .done
        cp   back
        jr   z, .back
        cp   delete
        jr   z, .back
        cp   ' '
        jr   c, .key
        ld   (hl), a
        push hl
        ld   de, line_end - 1
        or   a
        sbc  hl, de
        pop  hl
        jr   z, .key            ; no more fits
        inc  hl
        call send
        jr   .key
.back:  ld   de, line
        push hl
        or   a
        sbc  hl, de
        pop  hl
        jr   z, .key
        dec  hl
        push hl
        ld   hl, rubout
        call print
        pop  hl
        jr   .key
.done:  ld   (hl), 0
        ld   hl, newline
        call print
        ld   de, line
        call skip
        ld   a, (de)
        or   a
        jr   z, ready
        or   0x20               ; a small letter
        ld   b, a
.rest:  inc  de                 ; the rest of the word
        ld   a, (de)
        cp   '!'
        jr   nc, .rest
        ld   a, b
        cp   's'
        jr   z, show
        cp   'p'
        jr   z, put
        cp   'g'
        jp   z, go
        cp   'h'
        jp   z, hold
        cp   'r'
        jp   z, tell_regs
        cp   'o'
        jp   z, on
wrong:  ld   hl, what
        call print
        jp   ready

; ---------------------------------------------------------------- what can be said

show:   call number
        jr   nc, .here
        ld   hl, (next)
.here:  ld   c, 4               ; lines
.line:  call word
        ld   b, 16
        push hl
.byte:  ld   a, ' '
        call send
        ld   a, (hl)
        call hex
        inc  hl
        djnz .byte
        pop  hl
        ld   a, ' '
        call send
        call send
        ld   b, 16
.text:  ld   a, (hl)
        inc  hl
        cp   ' '
        jr   c, .dot
        cp   delete
        jr   c, .sent
.dot:   ld   a, '.'
.sent:  call send
        djnz .text
        push hl
        ld   hl, newline
        call print
        pop  hl
        dec  c
        jr   nz, .line
        ld   (next), hl
        jp   ready

put:    call number
        jr   c, wrong
        push hl
        call number
        pop  bc
        jr   c, wrong           ; no byte at all
.byte:  ld   a, l
        ld   (bc), a
        inc  bc
        push bc
        call number
        pop  bc
        jr   nc, .byte
        jp   ready

hold:   call forget
        call number
        jp   c, ready
        ld   (held), hl
        ld   a, (hl)
        ld   (under), a
        ld   (hl), stop
        jp   ready

; Puts the instruction back.
forget: ld   hl, (held)
        ld   a, h
        or   l
        ret  z
        ld   a, (under)
        ld   (hl), a
        ld   hl, 0
        ld   (held), hl
        ret

go:     call number
        jp   c, wrong
        xor  a
        ld   (is_held), a
        ld   de, ready          ; where its `ret` leads
        push de
        jp   (hl)

on:     ld   a, (is_held)
        or   a
        jp   z, wrong
        xor  a
        ld   (is_held), a
        ld   sp, (regs)
        ld   hl, (regs + 14)
        push hl
        ld   hl, (regs + 12)
        push hl
        pop  af
        ld   iy, (regs + 2)
        ld   ix, (regs + 4)
        ld   de, (regs + 8)
        ld   bc, (regs + 10)
        ld   hl, (regs + 6)
        ret

tell_regs:
        ld   a, (is_held)
        or   a
        jp   z, wrong
        call show_regs
        jp   ready

show_regs:
        ld   de, names
        ld   hl, regs + 14
.next:  ld   a, (de)
        or   a
        jr   z, .done
        call send
        inc  de
        ld   a, (de)
        call send
        inc  de
        ld   a, ' '
        call send
        ld   c, (hl)
        inc  hl
        ld   b, (hl)
        dec  hl
        dec  hl
        dec  hl
        push hl
        ld   h, b
        ld   l, c
        call word
        pop  hl
        ld   a, ' '
        call send
        call send
        jr   .next
.done:  ld   hl, newline
        jp   print

; A record: count, address, type, bytes, and what makes their sum 0. Into memory only when that is right.
record: ld   hl, line
        ld   c, 0               ; the sum
        call pair
        ld   b, a
        add  a, 4               ; address, type, sum
        cp   line_end - line
        jr   nc, .bad
        ld   (hl), b
        inc  hl
        ld   b, a
.byte:  call pair
        ld   (hl), a
        inc  hl
        djnz .byte
        ld   a, c
        or   a
        jr   nz, .bad
        ld   a, (line + 3)
        dec  a
        jr   z, .end
        inc  a
        jr   nz, .bad           ; only bytes and the end
        ld   a, (line)
        or   a
        jr   z, .kept
        ld   c, a
        ld   b, 0
        ld   hl, (line + 1)     ; the high half comes first
        ld   a, h
        ld   h, l
        ld   l, a
        ex   de, hl
        ld   hl, line + 4
        ldir
.kept:  ld   a, '.'
        call send
        jr   .rest
.bad:   ld   a, '!'
        call send
.rest:  call key                ; up to the next one
        cp   ':'
        jr   z, record
        cp   cr
        jr   z, .rest
        cp   lf
        jr   z, .rest
        jp   ready
.end:   ld   hl, loaded
        call print
        jp   ready

; ---------------------------------------------------------------- numbers

; Two digits from the line, into a; c sums them up.
pair:   call key
        call digit
        jr   nc, .high
        xor  a
.high:  add  a, a
        add  a, a
        add  a, a
        add  a, a
        ld   e, a
        call key
        call digit
        jr   nc, .low
        inc  c                  ; what is no digit makes the sum wrong
        xor  a
.low:   or   e
        ld   e, a
        add  a, c
        ld   c, a
        ld   a, e
        ret

; The digit in a as a number. cy: it is none.
digit:  sub  '0'
        ret  c
        cp   10
        ccf
        ret  nc
        sub  7                  ; A
        and  0xdf               ; or a
        cp   10
        ret  c
        cp   16
        ccf
        ret

; The number at de, into hl; de moves on. cy: there is none.
number: call skip
        ld   hl, 0
        ld   b, 0
.digit: ld   a, (de)
        call digit
        jr   c, .end
        add  hl, hl
        add  hl, hl
        add  hl, hl
        add  hl, hl
        or   l
        ld   l, a
        inc  de
        inc  b
        jr   .digit
.end:   ld   a, b
        cp   1                  ; cy without a digit
        ret

skip:   ld   a, (de)
        cp   ' '
        ret  nz
        inc  de
        jr   skip

; ---------------------------------------------------------------- the line

; The next key, into a.
key:    call listen
        push hl
        ld   hl, (came)         ; and taken
        ld   a, l
        cp   h
        jr   z, .none
        ld   l, h
        inc  h
        ld   a, h
        ld   (taken), a
        ld   h, high(queue)
        ld   a, (hl)
        pop  hl
        ret
.none:  pop  hl
        jr   key

; Takes what has come, also while something is sent.
listen: in   a, (UART_STAT)
        and  4                  ; RX
        ret  z
        push hl
        ld   hl, came
        ld   a, (hl)
        inc  (hl)
        ld   l, a
        ld   h, high(queue)
        in   a, (UART_DATA)
        ld   (hl), a
        pop  hl
        ret

send:   push af
.room:  call listen
        in   a, (UART_STAT)
        rrca                    ; ROOM
        jr   nc, .room
        pop  af
        out  (UART_DATA), a
        ret

print:  ld   a, (hl)
        or   a
        ret  z
        call send
        inc  hl
        jr   print

; hl, and a, as hexadecimal digits.
word:   ld   a, h
        call hex
        ld   a, l
hex:    push af
        rrca
        rrca
        rrca
        rrca
        call .one
        pop  af
.one:   and  0x0f
        add  a, 0x90            ; a digit as a letter, by decimal adjustment
        daa
        adc  a, 0x40
        daa
        jr   send

        section texts, mem
hello:  db   cr, lf, "monitor of the workshop, 64 KiB", 0
prompt: db   cr, lf, "> ", 0
newline: db  cr, lf, 0
rubout: db   back, ' ', back, 0
what:   db   "show AT, put AT BYTES, go AT, hold AT, regs, on, or records", 0
held_at: db  cr, lf, "held: ", 0
loaded: db   " loaded", 0
names:  db   "pcafbcdehlixiysp", 0
