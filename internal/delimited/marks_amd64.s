#include "textflag.h"

// func marks(p *[64]byte, x, y byte) uint64
//
// SSE2, which every amd64 processor has: 16 bytes at a time are compared with
// 16 copies of x and of y, and the highest bits of the result are gathered.
TEXT ·marks(SB), NOSPLIT, $0-24
	MOVQ    p+0(FP), SI
	MOVBLZX x+8(FP), AX
	MOVBLZX y+9(FP), BX
	IMULL   $0x01010101, AX
	IMULL   $0x01010101, BX
	MOVD    AX, X0
	MOVD    BX, X1
	PSHUFD  $0, X0, X0
	PSHUFD  $0, X1, X1

	MOVOU    (SI), X2
	MOVOU    16(SI), X3
	MOVOU    32(SI), X4
	MOVOU    48(SI), X5
	MOVO     X2, X6
	MOVO     X3, X7
	MOVO     X4, X8
	MOVO     X5, X9
	PCMPEQB  X0, X2
	PCMPEQB  X0, X3
	PCMPEQB  X0, X4
	PCMPEQB  X0, X5
	PCMPEQB  X1, X6
	PCMPEQB  X1, X7
	PCMPEQB  X1, X8
	PCMPEQB  X1, X9
	POR      X6, X2
	POR      X7, X3
	POR      X8, X4
	POR      X9, X5
	PMOVMSKB X2, AX
	PMOVMSKB X3, BX
	PMOVMSKB X4, CX
	PMOVMSKB X5, DX
	SHLQ     $16, BX
	SHLQ     $32, CX
	SHLQ     $48, DX
	ORQ      BX, AX
	ORQ      DX, CX
	ORQ      CX, AX
	MOVQ     AX, ret+16(FP)
	RET
