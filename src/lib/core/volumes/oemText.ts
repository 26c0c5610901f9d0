/**
 * The upper half of code page 850, in which Windows keeps short names and labels of FAT in most of Europe and the
 * Americas.
 */
const UPPER =
  'ÇüéâäàåçêëèïîìÄÅÉæÆôöòûùÿÖÜø£Ø×ƒáíóúñÑªº¿®¬½¼¡«»░▒▓│┤ÁÂÀ©╣║╗╝¢¥┐└┴┬├─┼ãÃ╚╔╩╦╠═╬¤ðÐÊËÈıÍÎÏ┘┌█▄¦Ì▀ÓßÔÒõÕµþÞÚÛÙýÝ¯´\u00ad±‗¾¶§÷¸°¨·¹³²■\u00a0';

/** A short name or label of FAT, without the spaces that fill it. Control characters are left out. */
export function decodeOem(bytes: Uint8Array): string {
  const characters = [...UPPER];
  return [...bytes]
    .map((byte, i) => (i === 0 && byte === 0x05 ? 0xe5 : byte)) // 0xE5 marks a deleted entry, so 0x05 stands for it
    .filter((byte) => byte >= 0x20)
    .map((byte) => (byte < 0x80 ? String.fromCharCode(byte) : characters[byte - 0x80]!))
    .join('')
    .trimEnd();
}
