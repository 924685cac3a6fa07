/** Everything that writes a sheet: charts, tables, marks to scale. */
export { writeChartPdf, writeChartSvg } from '@mesure/formats/chart';
export { writeMarksPdf } from '@mesure/formats/marks-pdf';
export { writeTablePdf } from '@mesure/formats/table-pdf';
