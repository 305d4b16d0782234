; kiln_door.asm - a program with mistakes, to show what is said of them. It is not meant to assemble.

        org  xram:0x4000
log:    ds   16
        org  iram:0x90
peak:   ds   1
        org  code:0

start:  mov  sp, #0x40
        mvo  a, #0                  ; a misspelt instruction
        mov  r2, #highst            ; a misspelt name
highest equ 1200
        mov  a, log                 ; external RAM needs movx
        mov  a, peak                ; upper RAM needs a pointer
        push a                      ; the accumulator by its address
        cjne r2, 5, start           ; an immediate without its mark
        mov  r3, #highest           ; 16 bits into 8
        jz   cold                   ; too far
        ds   200
cold:   sjmp cold
