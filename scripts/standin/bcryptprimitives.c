/* A stand-in for bcryptprimitives.dll, which Go's runtime asks for random bytes and older
   releases of Wine lack. It serves the tests alone. */
#include <windows.h>

BOOLEAN NTAPI SystemFunction036(PVOID buffer, ULONG length);

__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE buffer, SIZE_T length)
{
    while (length > 0) {
        ULONG part = length > 0x10000000 ? 0x10000000 : (ULONG)length;
        if (!SystemFunction036(buffer, part))
            return FALSE;
        buffer += part;
        length -= part;
    }
    return TRUE;
}
