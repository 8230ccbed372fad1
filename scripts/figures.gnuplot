# Five lines as bars: gnuplot -c scripts/figures.gnuplot FIVE PICTURE, of lines of "place name seconds".
set terminal pngcairo size 1000,300 font "Sans,12"
set output ARG2
unset key
set border 1
set xrange [0:*]
set yrange [-0.6:4.6]
set offsets 0, graph 0.08, 0, 0
set tics nomirror
set ytics scale 0
set xlabel "seconds for 5 million records (170 MB); less is better"
set style fill solid 0.85 noborder
plot ARG1 using ($3/2):1:($3/2):(0.32):ytic(2) with boxxyerror lc rgb "#2f6f8f", \
  "" using 3:1:(sprintf(" %.3f s", $3)) with labels left
