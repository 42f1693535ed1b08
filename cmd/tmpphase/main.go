package main
import ("fmt";"time";"os";"zincroad/formats/intake";"zincroad/core/curve";"zincroad/internal/memory";"io";"encoding/json")
func main(){
 memory.Settle()
 t0:=time.Now()
 in, err := intake.Path(os.Args[1], intake.Options{})
 if err!=nil { panic(err) }
 t1:=time.Now()
 r := in.Runs[0].Run
 w:=curve.Of(r); t2:=time.Now()
 x:=w.Read(curve.Options{}); t3:=time.Now()
 json.NewEncoder(io.Discard).Encode(x); t4:=time.Now()
 fmt.Println("parse",t1.Sub(t0).Milliseconds(),"prep",t2.Sub(t1).Milliseconds(),"read",t3.Sub(t2).Milliseconds(),"json",t4.Sub(t3).Milliseconds())
}
