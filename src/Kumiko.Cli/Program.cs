using System.CommandLine;
using Kumiko.Cli;

return await Commands.Root().Parse(args).InvokeAsync();
