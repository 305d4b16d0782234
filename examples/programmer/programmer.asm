; programmer.asm - a programmer for parallel EEPROMs, for mcs51-8k at 11.0592 MHz
;
; It speaks pegs (docs/programmer.md) on the serial port at 57,600 bits a second, in less than 1 KiB: who it is, read, write, compare,
; erase. In its socket is an EEPROM of 4 KiB in pages of 64 bytes, as the loom and the lathe have beside their chips. Two lamps say how it was.
;
;   p2            address, bits 0 to 7
;   p3.2 to p3.5  address, bits 8 to 11
;   p1            data
;   p3.6  write   0 = the EEPROM takes the data when it ends
;   p3.7  read    0 = the EEPROM drives the data
;   p0.0  good    0 = lit
;   p0.1  bad     0 = lit
;   p3.0, p3.1    serial port
;
; Doing a thing twice makes no difference here, so that a question that comes again is simply answered again.

write   bit  p3.6
read    bit  p3.7
good    bit  p0.0
bad     bit  p0.1

start   equ  0xa9               ; of a packet
done    equ  0x80               ; in the kind of an answer
no      equ  'n' + done         ; an answer: a reason follows
page    equ  64                 ; bytes the EEPROM takes together
most    equ  page + 4           ; bytes in a packet

no_kind equ  1                  ; reasons
outside equ  3
failed  equ  5
wrong   equ  7

        section vars, iram, at 0x30
number: ds   1                  ; of the question
kind:   ds   1
count:  ds   1                  ; bytes in it
sum:    ds   2                  ; of bytes that are compared, the low half first
left:   ds   2                  ; bytes to come, the low half first
want:   ds   1                  ; the last byte that was written

        section packet, iram, at 0x80
body:   ds   most

; r7 r6 CRC, its high half first     dptr address in the EEPROM

        vector reset, begin

        section prog, code
begin:  mov  sp, #0xc7          ; behind the packet
        mov  tmod, #0x20        ; timer 1: 8 bits with reload
        mov  th1, #-1           ; 57,600 with the rate doubled
        mov  tl1, #-1
        mov  pcon, #0x80
        mov  scon, #0x50        ; mode 1, receiving
        setb tr1

; A question: whatever is broken is left alone, and comes again.
main:   mov  r7, #0xff
        mov  r6, #0xff
.wait:  jnb  ri, .wait
        clr  ri
        mov  a, sbuf
        cjne a, #start, .wait
        call get
        mov  number, a
        call get
        mov  kind, a
        call get
        mov  count, a
        jz   .end
        add  a, #-(most + 1)
        jc   main               ; longer than it may be
        mov  r0, #body
        mov  r4, count
.byte:  call get
        mov  @r0, a
        inc  r0
        djnz r4, .byte
.end:   call get                ; the CRC with itself leaves nothing
        call get
        mov  a, r7
        orl  a, r6
        jnz  main

        mov  r0, #body + 2      ; most begin with an address
        mov  dph, @r0
        inc  r0
        mov  dpl, @r0
        mov  a, kind
        cjne a, #'i', not_i
        jmp  greet
not_i:  cjne a, #'m', not_m
        jmp  tell
not_m:  cjne a, #'r', not_r
        jmp  fetch
not_r:  cjne a, #'w', not_w
        jmp  store
not_w:  cjne a, #'v', not_v
        jmp  compare
not_v:  cjne a, #'e', not_e
        jmp  erase
not_e:  cjne a, #'x', not_x
        jmp  leave
not_x:  cjne a, #'g', not_g
        jmp  leave
not_g:  mov  a, #no_kind

; Says no, for the reason in a.
refuse: mov  r3, a
        mov  kind, #no - done
        mov  a, #1
        call open
        mov  a, r3
        call put
        jmp  close

; ---------------------------------------------------------------- what it is asked for

greet:  setb good               ; a new talk
        setb bad
        mov  a, #6
        call open
        mov  dptr, #about
        mov  r4, #6
        jmp  say
tell:   mov  r0, #body          ; there is one region
        cjne @r0, #0, away
        mov  a, #16 + 6
        call open
        mov  dptr, #region
        mov  r4, #16 + 6
say:    clr  a
        movc a, @a + dptr
        inc  dptr
        call put
        djnz r4, say
        jmp  close

; So many bytes from an address.
fetch:  call inside
        jc   away
        mov  r0, #body + 4
        mov  a, @r0
        jz   away
        mov  r4, a
        add  a, #-(most + 1)
        jc   away
        mov  a, r4
        call open
.byte:  call look
        inc  dptr
        call put
        djnz r4, .byte
        jmp  close
away:   mov  a, #outside
        jmp  refuse

; Bytes of one page to an address.
store:  call inside
        jc   away
        mov  a, count
        add  a, #-4
        jz   away
        mov  r4, a
        mov  a, dpl             ; the last one lies in the same page
        anl  a, #page - 1
        add  a, r4
        add  a, #-(page + 1)
        jc   away
        mov  r0, #body + 4
.byte:  mov  a, @r0
        call load
        inc  r0
        inc  dptr
        djnz r4, .byte
        call wait
        jc   broken
        jmp  yes
broken: clr  bad
        mov  a, #failed
        jmp  refuse

; All of it, page by page.
erase:  mov  dptr, #0
.page:  mov  r4, #page
.byte:  mov  a, #0xff
        call load
        inc  dptr
        djnz r4, .byte
        call wait
        jc   broken
        mov  a, dph
        cjne a, #0x10, .page
yes:    clr  a
        call open
        jmp  close

; The CRC and the sum of so many bytes.
compare:
        call inside
        jc   away
        mov  r0, #body + 6
        mov  left + 1, @r0
        inc  r0
        mov  left, @r0
        mov  sum, #0
        mov  sum + 1, #0
        mov  r7, #0xff
        mov  r6, #0xff
.byte:  mov  a, left
        orl  a, left + 1
        jz   .told
        mov  a, left
        jnz  .low
        dec  left + 1
.low:   dec  left
        call look
        inc  dptr
        mov  r3, a
        add  a, sum
        mov  sum, a
        clr  a
        addc a, sum + 1
        mov  sum + 1, a
        mov  a, r3
        call crc
        jmp  .byte
.told:  mov  left, r6           ; the answer has a CRC of its own
        mov  left + 1, r7
        mov  a, #4
        call open
        mov  a, left + 1
        call put
        mov  a, left
        call put
        mov  a, sum + 1
        call put
        mov  a, sum
        call put
        jmp  close

; The other end leaves, and says how it was.
leave:  setb good
        setb bad
        mov  r0, #body
        mov  a, @r0
        jz   .bad
        clr  good
        jmp  yes
.bad:   clr  bad
        jmp  yes

; ---------------------------------------------------------------- the EEPROM

; cy: the address in the packet is none of the 4 KiB.
inside: mov  r0, #body
        mov  a, @r0
        inc  r0
        orl  a, @r0
        jnz  .out
        mov  a, dph
        add  a, #-0x10
        ret
.out:   setb c
        ret

; Puts the address on its lines.
point:  mov  p2, dpl
        mov  a, dph
        rl   a
        rl   a
        anl  a, #0x3c
        anl  p3, #0xc3
        orl  p3, a
        ret

; The byte at an address, into a.
look:   call point
        mov  p1, #0xff          ; lets go of the data
        clr  read
        mov  a, p1
        setb read
        ret

; The byte in a to an address; what follows must come within 150 us.
load:   mov  want, a
        call point
        mov  p1, want
        clr  write
        setb write
        ret

; Until the last byte can be read, before dptr. cy: it takes longer than 20 ms.
wait:   mov  a, dpl             ; dptr has no `dec`
        jnz  .low
        dec  dph
.low:   dec  dpl
        mov  r5, #4
        mov  r3, #0             ; allow(counts-from-zero)
.again: call look
        cjne a, want, .later
        inc  dptr
        clr  c
        ret
.later: djnz r3, .again
        djnz r5, .again
        inc  dptr
        setb c
        ret

; ---------------------------------------------------------------- the line

; An answer of so many bytes (in a) begins, and ends.
open:   mov  r1, a
        mov  a, #start
        call send
        mov  r7, #0xff
        mov  r6, #0xff
        mov  a, number
        call put
        mov  a, kind
        orl  a, #done
        call put
        mov  a, r1
        jmp  put
close:  mov  a, r7
        call send
        mov  a, r6
        call send
        jmp  main

put:    call send
        jmp  crc

send:   clr  ti
        mov  sbuf, a
        jnb  ti, $
        ret

; The next byte of a packet, in a and in the CRC. Nothing for 200 ms: it was none.
get:    mov  r5, #180
.slow:  mov  r3, #0             ; allow(counts-from-zero)
.wait:  jb   ri, .here
        djnz r3, .wait
        djnz r5, .slow
        dec  sp                 ; not back to who has asked
        dec  sp
        jmp  main
.here:  clr  ri
        mov  a, sbuf
        mov  r3, a
        call crc
        mov  a, r3
        ret

; Takes the byte in a into the CRC x^16 + x^12 + x^5 + 1, eight bits at once.
crc:    xrl  a, r7
        mov  r2, a
        swap a
        anl  a, #0x0f
        xrl  a, r2
        mov  r2, a
        swap a
        anl  a, #0xf0
        xrl  a, r6
        mov  r7, a
        mov  a, r2
        rr   a
        rr   a
        rr   a
        mov  r6, a
        anl  a, #0x1f
        xrl  a, r7
        mov  r7, a
        mov  a, r6
        anl  a, #0xe0
        xrl  a, r2
        mov  r6, a
        ret

; version, erases and leaves and compares, longest body, hundredths of a second to wait, regions, not locked; it does not know the part
about:  db   1, 0x1d, most, 150, 1, 0
; base, size, page, nothing must be erased, name
region: db   0, 0, 0, 0,  0, 0, 0x10, 0,  0, 0, 0, page,  0, 0, 0, 0, "eeprom"
