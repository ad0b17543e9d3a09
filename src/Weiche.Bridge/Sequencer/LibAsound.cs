using System.Reflection;
using System.Runtime.InteropServices;

namespace Weiche.Bridge.Sequencer;

/// <summary>The calls of the ALSA sequencer that are needed (alsa/seq.h, alsa/seq_event.h, alsa/seq_midi_event.h), out of the system's own
/// library.</summary>
internal static unsafe partial class LibAsound
{
    private const string Library = "asound";

    internal const int Duplex = 3;
    internal const int NonBlocking = 1;

    // snd_seq_port capabilities and types.
    internal const uint CanRead = 1;
    internal const uint CanWrite = 2;
    internal const uint SubscribeRead = 32;
    internal const uint SubscribeWrite = 64;
    internal const uint NoExport = 128;
    internal const uint GenericMidi = 1 << 1;
    internal const uint Port = 1 << 19;
    internal const uint Application = 1 << 20;

    internal const byte ToSubscribers = 254;
    internal const byte Unknown = 253;
    internal const byte Directly = 253;
    internal const byte Start = 30;

    /// <summary>What a call says that would have to wait: the system's EAGAIN, below zero.</summary>
    internal const int Again = -11;
    internal const byte FirstAnnouncement = 60;
    internal const byte LastAnnouncement = 67;
    internal const byte RealTime = 1;

    internal const int SystemClient = 0;
    internal const int Announcements = 1;

    /// <summary>A place in the sequencer.</summary>
    [StructLayout(LayoutKind.Sequential)]
    internal struct Address
    {
        public byte Client;
        public byte Port;
    }

    /// <summary>An event (snd_seq_event_t).</summary>
    [StructLayout(LayoutKind.Sequential, Pack = 1, Size = 28)]
    internal struct Event
    {
        public byte Type;
        public byte Flags;
        public byte Tag;
        public byte Queue;
        public uint Seconds;
        public uint Nanoseconds;
        public Address Source;
        public Address Destination;
        public fixed byte Data[12];
    }

    [StructLayout(LayoutKind.Sequential)]
    internal struct RealTimeStamp
    {
        public uint Seconds;
        public uint Nanoseconds;
    }

    [StructLayout(LayoutKind.Sequential)]
    internal struct PollEntry
    {
        public int Descriptor;
        public short Events;
        public short Returned;
    }

    /// <summary>The handle of a client that is let go of by itself.</summary>
    internal sealed class Client : SafeHandle
    {
        public Client()
            : base(0, ownsHandle: true) { }

        public override bool IsInvalid => handle == 0;

        protected override bool ReleaseHandle() => Leave(handle) == 0;
    }

    /// <summary>Whether the library is there and has all that is called.</summary>
    internal static bool TryLoad()
    {
        if (!NativeLibrary.TryLoad("libasound.so.2", out var library))
            return false;
        var needed = typeof(LibAsound)
            .GetMethods(BindingFlags.NonPublic | BindingFlags.Static)
            .Select(method => method.GetCustomAttribute<LibraryImportAttribute>())
            .Where(import => import?.EntryPoint?.StartsWith("snd_", StringComparison.Ordinal) == true)
            .Select(import => import!.EntryPoint!);
        if (needed.Any(name => !NativeLibrary.TryGetExport(library, name, out _)))
            return false;
        NativeLibrary.SetDllImportResolver(Assembly.GetExecutingAssembly(), (name, _, _) => name == Library ? library : 0);
        return true;
    }

    [LibraryImport(Library, EntryPoint = "snd_seq_open", StringMarshalling = StringMarshalling.Utf8)]
    internal static partial int Open(out Client client, string name, int streams, int mode);

    [LibraryImport(Library, EntryPoint = "snd_seq_close")]
    private static partial int Leave(nint client);

    [LibraryImport(Library, EntryPoint = "snd_seq_set_client_name", StringMarshalling = StringMarshalling.Utf8)]
    internal static partial int SetName(Client client, string name);

    [LibraryImport(Library, EntryPoint = "snd_seq_client_id")]
    internal static partial int IdOf(Client client);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_malloc")]
    internal static partial int NewPortInfo(out nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_free")]
    internal static partial void FreePortInfo(nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_set_name", StringMarshalling = StringMarshalling.Utf8)]
    internal static partial void SetPortName(nint info, string name);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_get_name")]
    internal static partial byte* PortName(nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_set_capability")]
    internal static partial void SetCapability(nint info, uint capability);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_get_capability")]
    internal static partial uint Capability(nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_set_type")]
    internal static partial void SetType(nint info, uint type);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_set_client")]
    internal static partial void SetPortClient(nint info, int client);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_set_port")]
    internal static partial void SetPortNumber(nint info, int port);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_get_port")]
    internal static partial int PortNumber(nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_set_port_specified")]
    internal static partial void SetPortSpecified(nint info, int specified);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_set_midi_channels")]
    internal static partial void SetChannels(nint info, int channels);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_set_timestamping")]
    internal static partial void SetStamps(nint info, int on);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_set_timestamp_real")]
    internal static partial void SetRealStamps(nint info, int on);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_info_set_timestamp_queue")]
    internal static partial void SetStampQueue(nint info, int queue);

    [LibraryImport(Library, EntryPoint = "snd_seq_create_port")]
    internal static partial int CreatePort(Client client, nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_delete_port")]
    internal static partial int DeletePort(Client client, int port);

    [LibraryImport(Library, EntryPoint = "snd_seq_get_port_info")]
    internal static partial int GetPortInfo(Client client, int port, nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_set_port_info")]
    internal static partial int SetPortInfo(Client client, int port, nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_connect_from")]
    internal static partial int ConnectFrom(Client client, int port, int farClient, int farPort);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_subscribe_malloc")]
    internal static partial int NewSubscription(out nint subscription);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_subscribe_free")]
    internal static partial void FreeSubscription(nint subscription);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_subscribe_set_sender")]
    internal static partial void SetSender(nint subscription, in Address address);

    [LibraryImport(Library, EntryPoint = "snd_seq_port_subscribe_set_dest")]
    internal static partial void SetDestination(nint subscription, in Address address);

    [LibraryImport(Library, EntryPoint = "snd_seq_subscribe_port")]
    internal static partial int Subscribe(Client client, nint subscription);

    [LibraryImport(Library, EntryPoint = "snd_seq_unsubscribe_port")]
    internal static partial int Unsubscribe(Client client, nint subscription);

    [LibraryImport(Library, EntryPoint = "snd_seq_client_info_malloc")]
    internal static partial int NewClientInfo(out nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_client_info_free")]
    internal static partial void FreeClientInfo(nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_client_info_set_client")]
    internal static partial void SetClientNumber(nint info, int client);

    [LibraryImport(Library, EntryPoint = "snd_seq_client_info_get_client")]
    internal static partial int ClientNumber(nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_client_info_get_name")]
    internal static partial byte* ClientName(nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_client_info_get_card")]
    internal static partial int CardOf(nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_query_next_client")]
    internal static partial int NextClient(Client client, nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_query_next_port")]
    internal static partial int NextPort(Client client, nint info);

    [LibraryImport(Library, EntryPoint = "snd_seq_query_subscribe_malloc")]
    internal static partial int NewQuery(out nint query);

    [LibraryImport(Library, EntryPoint = "snd_seq_query_subscribe_free")]
    internal static partial void FreeQuery(nint query);

    [LibraryImport(Library, EntryPoint = "snd_seq_query_subscribe_set_root")]
    internal static partial void SetRoot(nint query, in Address address);

    [LibraryImport(Library, EntryPoint = "snd_seq_query_subscribe_set_type")]
    internal static partial void SetQueryType(nint query, int type);

    [LibraryImport(Library, EntryPoint = "snd_seq_query_subscribe_set_index")]
    internal static partial void SetIndex(nint query, int index);

    [LibraryImport(Library, EntryPoint = "snd_seq_query_port_subscribers")]
    internal static partial int Subscribers(Client client, nint query);

    [LibraryImport(Library, EntryPoint = "snd_seq_query_subscribe_get_addr")]
    internal static partial Address* SubscriberAddress(nint query);

    [LibraryImport(Library, EntryPoint = "snd_seq_alloc_queue")]
    internal static partial int NewQueue(Client client);

    [LibraryImport(Library, EntryPoint = "snd_seq_control_queue")]
    internal static partial int ControlQueue(Client client, int queue, int type, int value, nint @event);

    [LibraryImport(Library, EntryPoint = "snd_seq_drain_output")]
    internal static partial int Flush(Client client);

    [LibraryImport(Library, EntryPoint = "snd_seq_queue_status_malloc")]
    internal static partial int NewQueueStatus(out nint status);

    [LibraryImport(Library, EntryPoint = "snd_seq_queue_status_free")]
    internal static partial void FreeQueueStatus(nint status);

    [LibraryImport(Library, EntryPoint = "snd_seq_get_queue_status")]
    internal static partial int QueueStatus(Client client, int queue, nint status);

    [LibraryImport(Library, EntryPoint = "snd_seq_queue_status_get_real_time")]
    internal static partial RealTimeStamp* QueueTime(nint status);

    [LibraryImport(Library, EntryPoint = "snd_seq_event_input")]
    internal static partial int Input(Client client, out Event* heard);

    [LibraryImport(Library, EntryPoint = "snd_seq_event_input_pending")]
    internal static partial int Pending(Client client, int fetch);

    [LibraryImport(Library, EntryPoint = "snd_seq_event_output_direct")]
    internal static partial int Output(Client client, ref Event sent);

    [LibraryImport(Library, EntryPoint = "snd_seq_poll_descriptors")]
    internal static partial int PollDescriptors(Client client, PollEntry* entries, uint space, short events);

    [LibraryImport(Library, EntryPoint = "snd_midi_event_new")]
    internal static partial int NewCoder(nuint size, out nint coder);

    [LibraryImport(Library, EntryPoint = "snd_midi_event_no_status")]
    internal static partial void NoRunningStatus(nint coder, int on);

    [LibraryImport(Library, EntryPoint = "snd_midi_event_encode")]
    internal static partial nint Encode(nint coder, byte* bytes, nint count, ref Event into);

    [LibraryImport(Library, EntryPoint = "snd_midi_event_decode")]
    internal static partial nint Decode(nint coder, byte* bytes, nint count, Event* from);

    [LibraryImport("libc", EntryPoint = "poll", SetLastError = true)]
    internal static partial int Poll(PollEntry* entries, nuint count, int timeout);
}
