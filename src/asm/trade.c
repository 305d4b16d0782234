/* trade.c — words that the trade has for what an architecture, or this assembler, calls otherwise: whoever writes one gets the
 * word that is meant here. An architecture says what it has for each kind of instruction (oak_isa.trade). */
#include "asm/assembler.h"
#include "base/bytes.h"
#include "base/text.h"

typedef struct trade_word {
    const char *words; /* separated by blanks */
    const char *text;  /* for directives */
    oak_trade kind;    /* for instructions */
} trade_word;

static const trade_word instructions[] = {
    {"cmp cp cpi cpa cmpa cmpi compare", NULL, OAK_TRADE_COMPARE},
    {"tst test bit btst", NULL, OAK_TRADE_TEST},
    {"halt hlt stop sleep slp wait idle", NULL, OAK_TRADE_SLEEP},
    {"ld lda ldi ldx ldy ldaa ldab lw lb li la lds lhld lxi mvi move movlw movf load mov movs", NULL,
     OAK_TRADE_LOAD},
    {"st sta sts std sw sb stx sty staa stab movwf store shld stax", NULL, OAK_TRADE_STORE},
    {"xor eor xra xri xorlw xorwf eora xori exor xrl", NULL, OAK_TRADE_XOR},
    {"or ora ori iorlw iorwf oraa orl orr", NULL, OAK_TRADE_OR},
    {"and ana ani andi andlw andwf anda anl", NULL, OAK_TRADE_AND},
    {"not com cma comf inv mvn cpl coma", NULL, OAK_TRADE_NOT},
    {"neg nega negate rsb", NULL, OAK_TRADE_NEGATE},
    {"sub subi sui suba subwf sublw subtract sbb sbc sbci subb", NULL, OAK_TRADE_SUBTRACT},
    {"adda addi adi addwf addlw addw adc adci addc", NULL, OAK_TRADE_ADD},
    {"inr inx incf inca incw increment inc", NULL, OAK_TRADE_INCREMENT},
    {"dcr dcx decf deca decw decrement dec", NULL, OAK_TRADE_DECREMENT},
    {"br bra b goto jp jr rjmp jump j jmp sjmp ljmp ajmp", NULL, OAK_TRADE_JUMP},
    {"beq breq je jeq jz bz", NULL, OAK_TRADE_IF_EQUAL},
    {"bne brne jne jnz bnz", NULL, OAK_TRADE_IF_DIFFERENT},
    {"bcs brcs bc blo brlo jlo jb jc jnae", NULL, OAK_TRADE_IF_CARRY},
    {"bcc brcc bnc bhs brsh jhs jae jnc jnb", NULL, OAK_TRADE_IF_NO_CARRY},
    {"bgt bge blt ble bhi bls jg jge jl jle ja jbe brge brlt", NULL, OAK_TRADE_IF_ORDERED},
    {"bmi brmi bpl brpl jm js jn jp jns", NULL, OAK_TRADE_IF_SIGN},
    {"jsr bsr rcall gosub bl blx blr cal call lcall acall", NULL, OAK_TRADE_CALL},
    {"rts rtn return retn ret", NULL, OAK_TRADE_RETURN},
    {"rti rte rfi iret retfie reti", NULL, OAK_TRADE_RETURN_FROM_INTERRUPT},
    {"shl sla sll asl lsl rol rlf ral rlca rl rlc", NULL, OAK_TRADE_SHIFT_LEFT},
    {"shr srl sra sar asr lsr ror rrf rar rrca rr rrc", NULL, OAK_TRADE_SHIFT_RIGHT},
    {"bset bsf sbi setb set1 seb", NULL, OAK_TRADE_SET_BIT},
    {"bclr bcf cbi clrb res clr1 clr clrf clra clrw", NULL, OAK_TRADE_CLEAR_BIT},
    {"btg toggle tgl bchg", NULL, OAK_TRADE_TOGGLE_BIT},
    {"btfsc btfss sbic sbis sbrc sbrs brset brclr tbz tbnz jbc", NULL, OAK_TRADE_IF_BIT},
    {"ei eint sei sti cpsie", NULL, OAK_TRADE_INTERRUPTS_ON},
    {"di dint cli cpsid", NULL, OAK_TRADE_INTERRUPTS_OFF},
    {"swapf exg xchg ex xthl exchange xch swap", NULL, OAK_TRADE_EXCHANGE},
    {"push psh pha psha pshs pushf stmfd stmdb phx", NULL, OAK_TRADE_PUSH},
    {"pop pul pula pla puls popf ldmfd plx", NULL, OAK_TRADE_POP},
    {"mult mpy muls mulu mul", NULL, OAK_TRADE_MULTIPLY},
    {"divu divs dvu divide div", NULL, OAK_TRADE_DIVIDE},
    {"dbnz decfsz dbra loop djnz", NULL, OAK_TRADE_LOOP},
    {"lpm elpm tblrd movc", NULL, OAK_TRADE_TABLE},
    {"ar0 ar1 ar2 ar3 ar4 ar5 ar6 ar7", NULL, OAK_TRADE_REGISTER_ADDRESS},
    {"r8 r9 r10 r11 r12 r13 r14 r15 r16", NULL, OAK_TRADE_HIGH_REGISTER},
    {"b0 b1 b2 b3 b4 b5 b6 b7", NULL, OAK_TRADE_REGISTER_BIT},
    {"ax bx cx dx al ah bl bh hl bc de ix iy x y w wreg", NULL, OAK_TRADE_OTHER_REGISTER},
    {"in inp out movx", NULL, OAK_TRADE_PORT},
    {"swi int trap syscall ecall svc brk", NULL, OAK_TRADE_SOFTWARE_INTERRUPT},
    {"fadd fsub fmul fdiv fld fst fcmp vadd vsub vmul vdiv vldr vstr vmov vcmp", NULL, OAK_TRADE_FLOAT},
};

static const trade_word directives[] = {
    {"byte fcb defb dcb dfb dc defm .byte .db dc.b", "Write `db`.", 0},
    {"word half hword short defw dcw fdb 2byte dc.w", "Write `dw` for 16 bits, `dd` for 32.", 0},
    {"long int 4byte dcd defl dc.l", "Write `dd`.", 0},
    {"quad 8byte", "Write `dq`.", 0},
    {"ascii asciz string fcc fcs", "Write `db \"text\"`, and `, 0` behind it where a zero ends it.", 0},
    {"space skip zero fill rmb dsb defs blkb block resb res dsw",
     "Write `ds COUNT`, or `db` in a `repeat` to fill with a value.", 0},
    {"even balign p2align", "Write `align 2`, `align 4`.", 0},
    {"public global globl xdef", "Write `export NAME`, for other files of the program; one file needs none.",
     0},
    {"extern extrn xref import", "Leave it out here: the file that defines it says `export NAME`.", 0},
    {"cseg code text rom", "Code is where a source begins; later `section NAME, $C`, or `org 0x100`.", 0},
    {"dseg data iseg idata bss udata", "Write `section NAME, $D`, or `org $A`.", 0},
    {"bseg", "Write `section NAME, bit`.", 0},
    {"xseg xdata", "Write `section NAME, xram`.", 0},
    {"rept irp irpc dup", "Write `repeat COUNT` or `each NAME, LIST`, up to `endr`.", 0},
    {"endif1 fi", "Write `endif`.", 0},
    {"mend exitm endmacro", "Write `endm`.", 0},
    {"endrep", "Write `endr`.", 0},
    {"define defc asg constant", "Write `NAME equ VALUE`.", 0},
    {"ltorg", "Write `pool`.", 0},
    {"title subttl name page list nolist eject radix using cpu arch syntax thumb thumb_func fpu type size "
     "weak area ident "
     "regbank preserve8 require8",
     "Leave it out: nothing here needs it.", 0},
    {"proc func", "Write a label: `NAME:`.", 0},
    {"endp endfunc", "Leave it out: a label is enough.", 0},
    {"then begin while for until print echo printf",
     "This is no high-level language: `repeat`, `if` and `message` work while it is "
     "assembled.",
     0},
};

static bool is_among(const char *words, const char *text, size_t length)
{
    for (const char *at = words; *at;) {
        size_t size = 0;
        while (at[size] && at[size] != ' ') size++;
        if (size == length) {
            size_t same = 0;
            while (same < size && oak_lower(text[same]) == at[same]) same++;
            if (same == size) return true;
        }
        at += size + (at[size] == ' ');
    }
    return false;
}

oak_trade asm_trade_of(const char *text, size_t length)
{
    for (size_t i = 0; i < sizeof instructions / sizeof *instructions; i++)
        if (is_among(instructions[i].words, text, length)) return instructions[i].kind;
    return OAK_TRADE_NONE;
}

bool asm_trade_hint(const assembler *as, const char *text, size_t length, char *hint, size_t room)
{
    oak_trade kind = asm_trade_of(text, length);
    const char *found = kind && as->isa->trade ? as->isa->trade[kind] : NULL;
    if (!found && length && *text == '.') text++, length--;
    for (size_t i = 0; !found && i < sizeof directives / sizeof *directives; i++)
        if (is_among(directives[i].words, text, length)) found = directives[i].text;
    if (!found) return false;
    oak_part_example(as->part, found, hint, room);
    return true;
}
