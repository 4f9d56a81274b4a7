package record

// SheetSign stands between the name of a workbook and that of its sheet.
const SheetSign = " · "
