# A driver for Perl, written from docs/drivers.md alone.
use JSON::PP;
open(my $requests, '<&=', 3) or die; open(my $events, '>&=', 4) or die;
$events->autoflush(1); STDOUT->autoflush(1); binmode(STDOUT, ':utf8'); binmode(STDERR, ':utf8');
my $json = JSON::PP->new->ascii;
my ($request, $placed);
sub send_event { print $events "$request->{mark} ", $json->encode($_[0]), "\n" }
sub place { $placed++; print STDOUT "\x02$request->{mark}:$placed\x03"; send_event($_[0]) }
while (my $line = <$requests>) {
    next if $line =~ /^\s*$/;
    $request = $json->decode($line);
    $placed = 0;
    open(STDIN, '<', $request->{stdin});
    local %ENV = (%ENV, %{$request->{env}});
    no strict;
    ${"main::$_->{name}"} = exists $_->{value}{plain} ? $_->{value}{plain}
        : [map { my $row = $_; my @names = map { $_->{name} } @{$request->{variables}[0]{value}{table}{columns}};
            +{ map { $names[$_] => $row->[$_] } 0 .. $#names } } @{$_->{value}{table}{rows}}]
        for @{$request->{variables}};
    my $exit = 0;
    if ($request->{task} eq 'variables') {
        my @held = map { { name => $_, kind => 'scalar', shape => '', value => "${\"main::$_\"}" } }
            grep { /^[a-z]\w*$/ && defined ${"main::$_"} } sort keys %main::;
        place({ variables => \@held });
    } else {
        my $value = eval "package main; no strict;\n#line 1 \"$request->{label}\"\n$request->{code}";
        if ($@) {
            my ($at) = $@ =~ /line (\d+)/;
            (my $summary = $@) =~ s/ at \@.*//s;
            place({ failure => { summary => $summary, text => $@, at => { block => $request->{label}, line => $at + 0 } } });
            $exit = 1;
        } elsif (defined $value && $request->{code} !~ /[;}]\s*$/) {
            place({ value => { text => "$value", plain => "$value" } });
        }
    }
    print {$_} "\x02$request->{mark}:end\x03" for \*STDOUT, \*STDERR;
    send_event({ done => { exit => $exit } });
}
